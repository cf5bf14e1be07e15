"""Doing a job here and now, for scripts: the demo, and tests."""

from __future__ import annotations

import uuid
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from sqlalchemy.orm import Session

from innerbloom.jobs.kind import JobKind, JobResult, Params, Work, as_file
from innerbloom.jobs.report import Report
from innerbloom.store.files import FileStore
from innerbloom.store.models import JobRow


def do_at_once(
    db: Session,
    store: FileStore,
    kind: JobKind,
    params: Params,
    document: Params | list[Any] | None = None,
) -> JobResult:
    """Run a job to its end in this process and enter what came of it; raises as its work does."""
    job_id = uuid.uuid4().hex
    report = Report(store.jobs, job_id)
    with TemporaryDirectory(dir=store.jobs) as folder:
        for name, content in ({} if document is None else as_file(document)).items():
            (Path(folder) / name).write_bytes(content)
        try:
            made = kind.run(Work(store, params, Path(folder), report))
        finally:
            report.forget()
    result = kind.finish(db, JobRow(id=job_id, kind=kind.id, title="", params=params), made)
    db.commit()
    if kind.takes_file:
        (store.incoming / params["path"]).unlink(missing_ok=True)
    return result
