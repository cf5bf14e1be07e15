"""The whole project as one archive, and its recordings looked over."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from innerbloom.jobs.kind import JobKind, JobResult, Params, Work
from innerbloom.store.archive import SUFFIX, verify_recordings, write_archive
from innerbloom.store.files import safe_title
from innerbloom.store.models import JobRow, Recording


def archive(work: Work) -> Params:
    """Parameters: ``project``, its name."""
    path = work.store.renders / f"{work.folder.name}{SUFFIX}"
    size = sum(one.stat().st_size for one in work.store.originals.rglob("*") if one.is_file())
    work.store.room_for(size)
    write_archive(work.store, path, work.report)
    name = f"{safe_title(work.params['project'], 'Project')}{SUFFIX}"
    return {"file": path.name, "name": name, "bytes": path.stat().st_size}


def finish_archive(db: Session, job: JobRow, made: Params) -> JobResult:
    return JobResult(**made)


def check(work: Work) -> Params:
    """Every original against its hash."""
    found = verify_recordings(work.store, work.report)
    return {"damaged": [name.partition(".")[0] for name in found.damaged],
            "whole": [name.partition(".")[0] for name in found.whole]}  # fmt: skip


def finish_check(db: Session, job: JobRow, made: Params) -> JobResult:
    """Names what is damaged or gone, by the names of the shelf."""
    damaged, whole = set(made["damaged"]), set(made["whole"])
    problems = []
    for row in db.scalars(select(Recording).where(Recording.deleted.is_(None))):
        if row.digest in damaged:
            problems.append(f"'{row.name}' is not as it was: its file is damaged. Add it again.")
        elif row.digest not in whole:
            problems.append(f"The file of '{row.name}' is gone: add it again.")
    return JobResult(name=f"{len(whole)} recordings are whole.", problems=problems)


ARCHIVE = JobKind("archive", "Backing up", archive, finish_archive)
CHECK = JobKind("check", "Checking", check, finish_check)
