"""Variations: drawn, and handed over as one zip."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy.orm import Session

from innerbloom.batch.pools import REAL_TIME, pool_for
from innerbloom.batch.varying import Drawing
from innerbloom.core.deliver.credits import Credit
from innerbloom.core.deliver.hand_over import HandOver, hand_over
from innerbloom.core.deliver.variation_set import VariationSet, choose, parse_variations
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.performance.events import Event
from innerbloom.core.performance.hands import edited
from innerbloom.core.performance.stretch import gestures_in
from innerbloom.core.performance.take_document import parse_take
from innerbloom.jobs.kind import JobKind, JobResult, Params, Work
from innerbloom.jobs.zipping import zip_folder
from innerbloom.store import documents
from innerbloom.store.models import Document, JobRow
from innerbloom.store.take_folders import TakeFolders
from innerbloom.store.variation_folders import VariationFolders


def draw(work: Work) -> Params:
    """Parameters: ``variations``. The job's document holds the set, the ``instrument``, and the ``take`` that is
    played, if it is one."""
    asked = work.document()
    document = parse_variations(asked["set"])
    instrument = parse_instrument(asked["instrument"])
    hands = _hands(work, document, asked["take"]) if asked.get("take") else ()
    scheduler = work.params.get("scheduler", "")
    count = int(document.settings.drawn)  # type: ignore[attr-defined]
    work_s = count * (float(document.settings.seconds) + 1.0) / REAL_TIME  # type: ignore[attr-defined]
    with pool_for(
        work.store, count, work_s=work_s, scheduler=scheduler, job=work.folder.name
    ) as pool:
        made = Drawing(instrument, document.settings, hands, work.store, pool, work.report)
        folder, drawn = VariationFolders(work.store).write(made, instrument)
    return {"folder": folder, "count": len(drawn), "cost": made.costs.words()}


def _hands(work: Work, document: VariationSet, take: Params) -> tuple[Event, ...]:
    told = parse_take(take)
    stored = TakeFolders(work.store).read(told.about.folder)
    seconds = float(document.settings.seconds)  # type: ignore[attr-defined]
    hands = gestures_in(edited(stored.take, told.edits), document.start, seconds)
    if not any(one.kind == "on" for one in hands):
        raise BloomError("No note begins in that stretch of the take: begin elsewhere.")
    return hands


def finish_draw(db: Session, job: JobRow, made: Params) -> JobResult:
    """What was drawn takes the place of what was drawn before."""
    row = db.get(Document, job.params["variations"])
    if row is not None and row.deleted is None:
        document = parse_variations(row.content)
        changed = document.model_copy(update={"made": made["folder"], "decisions": {}})
        documents.replace(db, row, row.revision, changed, f"Draw {made['count']}")
    return JobResult(name=job.title, cost=made["cost"])


def hand_over_zip(work: Work) -> Params:
    """The job's document holds the set, the ``credits``, the name of the ``take`` and the ``tags``."""
    asked = work.document()
    document = parse_variations(asked["set"])
    folders = VariationFolders(work.store)
    chosen = [one for one in choose(folders.read(document.made), document) if one.kept]
    credits = tuple(Credit.model_validate(one) for one in asked["credits"])
    how = HandOver(
        document.name,
        document.instrument_name,
        document.names,
        document.form,
        document.rate,
        credits,
        asked["take"],
        tuple(asked["tags"]),
        {one.drawn.snapshot: one.drawn.state for one in chosen},
    )
    made = [replace(folders.variation(document.made, one.drawn, one.gain), nearest=one.nearest)
            for one in chosen]  # fmt: skip
    target = work.folder / document.name.replace("/", "_")[:80]
    contents = hand_over(made, how, target, work.report)
    path = work.store.renders / f"{work.folder.name}.zip"
    zip_folder(target, path)
    seconds = sum(one.seconds for one in contents.files)
    return {"file": path.name, "name": f"{document.name}.zip", "bytes": path.stat().st_size,
            "seconds": round(seconds, 3)}  # fmt: skip


def finish_hand_over(db: Session, job: JobRow, made: Params) -> JobResult:
    return JobResult(**made)


DRAW = JobKind("draw", "Drawing", draw, finish_draw)
HAND_OVER = JobKind("hand over", "Handing over", hand_over_zip, finish_hand_over)
