"""Measuring the timbre of sounds that were measured before it was measured as it is now."""

from __future__ import annotations

from sqlalchemy import case, func, select
from sqlalchemy.orm import Session

from innerbloom.batch.pools import pool_for
from innerbloom.batch.running import Batch
from innerbloom.batch.tasks import timbre_task
from innerbloom.core.analysis.timbre import SIZE
from innerbloom.jobs.kind import JobKind, JobResult, Params, Work
from innerbloom.store.models import JobRow, Recording

_EACH_S = 0.4
"""About how long one takes."""


def outdated(db: Session) -> list[str]:
    """Sounds on the shelf, by their hash, whose timbre was measured in another way."""
    numbers = func.json_array_length(Recording.measured, "$.timbre")
    readable = Recording.deleted.is_(None), func.json_valid(Recording.measured) == 1
    # SQLite need not look from left to right
    wanted = case((readable[1], (numbers > 0) & (numbers != SIZE)), else_=False)
    rows = select(Recording.digest).where(readable[0], wanted)
    return list(db.scalars(rows.distinct()))


def measure(work: Work) -> Params:
    """The document of the job is a list of hashes; one that cannot be read is left as it is."""
    digests: list[str] = work.document()
    tasks = [timbre_task(one) for one in digests]
    scheduler = work.params.get("scheduler", "")
    found = {}
    with pool_for(
        work.store,
        len(tasks),
        work_s=_EACH_S * len(tasks),
        scheduler=scheduler,
        job=work.folder.name,
    ) as pool:
        for index, outcome in Batch(tasks, work.store, pool, work.report):
            if outcome.value is not None:
                found[digests[index]] = outcome.value
    return {"timbres": found}


def finish_measure(db: Session, job: JobRow, made: Params) -> JobResult:
    found: dict[str, list[float]] = made["timbres"]
    for row in db.scalars(select(Recording).where(Recording.digest.in_(found))):
        row.measured = {**row.measured, "timbre": found[row.digest]}
    db.commit()
    return JobResult()


MEASURE = JobKind("measure", "Measuring the timbre of", measure, finish_measure)
