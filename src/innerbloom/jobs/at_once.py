"""Doing a job without a server, for scripts: the demo, and tests."""

from __future__ import annotations

import uuid
from collections.abc import Callable
from concurrent.futures import Executor
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from sqlalchemy.orm import Session

from innerbloom.jobs.kind import JobKind, JobResult, Params, Work, as_file
from innerbloom.jobs.kinds import JOB_KINDS
from innerbloom.jobs.report import Report
from innerbloom.store.files import FileStore
from innerbloom.store.models import JobRow

Asked = Params | list[Any] | None
"""The document of a job."""


def do_at_once(
    db: Session, store: FileStore, kind: JobKind, params: Params, document: Asked = None
) -> JobResult:
    """Run a job to its end in this process and enter what came of it; raises as its work does."""
    return _entered(db, store, kind, params, _work(kind.id, store.root, params, document))


def begin_in_pool(
    pool: Executor, db: Session, store: FileStore, kind: JobKind, params: Params, document: Asked
) -> Callable[[], JobResult]:
    """Begin a job in a process of a pool; what is given waits for its end and enters what came of it."""
    made = pool.submit(_work, kind.id, store.root, params, document)
    return lambda: _entered(db, store, kind, params, made.result())


def _work(kind: str, root: Path, params: Params, document: Asked) -> Params:
    store = FileStore(root)
    report = Report(store.jobs, uuid.uuid4().hex)
    with TemporaryDirectory(dir=store.jobs) as folder:
        for name, content in ({} if document is None else as_file(document)).items():
            (Path(folder) / name).write_bytes(content)
        try:
            return JOB_KINDS[kind].run(Work(store, params, Path(folder), report))
        finally:
            report.forget()


def _entered(
    db: Session, store: FileStore, kind: JobKind, params: Params, made: Params
) -> JobResult:
    job = JobRow(id=uuid.uuid4().hex, kind=kind.id, title="", params=params)
    result = kind.finish(db, job, made)
    db.commit()
    if kind.takes_file:
        (store.incoming / params["path"]).unlink(missing_ok=True)
    return result
