"""Measuring the timbre of sounds that were measured before it was measured as it is now."""

from __future__ import annotations

from typing import Any

import soundfile as sf
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from innerbloom.core.analysis.mono import one_channel
from innerbloom.core.analysis.timbre import SIZE, TimbreCollector
from innerbloom.core.errors import BloomError, Cancelled
from innerbloom.core.sound.files import read_blocks, sound_info
from innerbloom.jobs.kind import JobKind, JobResult, Params, Work
from innerbloom.store.models import JobRow, Recording


def outdated(db: Session) -> list[str]:
    """Sounds on the shelf, by their hash, whose timbre was measured in another way."""
    numbers = func.json_array_length(Recording.measured, "$.timbre")
    rows = select(Recording.digest).where(Recording.deleted.is_(None), numbers > 0, numbers != SIZE)
    return list(db.scalars(rows.distinct()))


def measure(work: Work) -> Params:
    """The document of the job is a list of hashes; one that cannot be read is left as it is."""
    digests: list[Any] = work.document()
    found = {}
    for number, digest in enumerate(digests):
        if not work.report(number / len(digests)):
            raise Cancelled("Stopped.")
        try:
            found[digest] = _timbre(work, digest)
        except (BloomError, OSError, sf.LibsndfileError):
            continue
    return {"timbres": found}


def _timbre(work: Work, digest: str) -> list[float]:
    path = work.store.readable(digest)
    info = sound_info(path)
    collector = TimbreCollector(info.frames, info.rate)
    for block in read_blocks(path):
        collector.feed(one_channel(block))
    return collector.timbre()


def finish_measure(db: Session, job: JobRow, made: Params) -> JobResult:
    found: dict[str, list[float]] = made["timbres"]
    for row in db.scalars(select(Recording).where(Recording.digest.in_(found))):
        row.measured = {**row.measured, "timbre": found[row.digest]}
    db.commit()
    return JobResult()


MEASURE = JobKind("measure", "Measuring the timbre of", measure, finish_measure)
