"""The Bench's sheets in the database: one recipe a sound, with its revisions."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from innerbloom.core.instrument.history import Step, open_steps
from innerbloom.core.materials.spectrum.document import FORMAT as SPECTRUM
from innerbloom.core.materials.spectrum.document import parse_spectrum
from innerbloom.core.materials.wavetable.document import FORMAT as TABLE
from innerbloom.core.materials.wavetable.document import parse_table
from innerbloom.core.prepare.recipe import default_steps, parse_recipe
from innerbloom.store.instruments import OutOfDateError, Way, Ways
from innerbloom.store.models import Recording, Sheet, SheetRevision

Steps = list[dict[str, Any]]


def opened(db: Session, recording: Recording) -> Sheet:
    """The sheet of a sound, begun now if it has none."""
    sheet = db.get(Sheet, recording.id)
    if sheet is None:
        sheet = Sheet(recording_id=recording.id, steps=_first(recording))
        db.add(sheet)
        db.commit()
    return sheet


def _first(recording: Recording) -> Steps:
    """What a sheet begins with: that of a wavetable or spectrum is its recipe, as the only step."""
    recipe = recording.lineage.get("table") or recording.lineage.get("spectrum")
    if recipe is not None:
        return [recipe]
    return _complete(list(default_steps(recording.measured["duration_s"])))


def _complete(steps: Steps) -> Steps:
    """Validated steps with every value in them; raises a BloomError."""
    recipe = steps[0].get("format") if steps else None
    if recipe == TABLE:
        return [parse_table(steps[0]).model_dump(mode="json")]
    if recipe == SPECTRUM:
        return [parse_spectrum(steps[0]).model_dump(mode="json")]
    complete: Steps = parse_recipe({"steps": steps}).plain()["steps"]
    return complete


def edit(db: Session, sheet: Sheet, base: int, steps: Steps, label: str) -> None:
    """Store other steps as a revision.

    Raises
    ------
    OutOfDateError
        If ``base`` is not the newest revision.
    BloomError
        If the steps are not valid.
    """
    _require_newest(sheet, base)
    complete = _complete(steps)
    if complete != sheet.steps:
        _store(db, sheet, "edit", complete, label)


def step(db: Session, sheet: Sheet, base: int, way: Way) -> None:
    """Take back the last change that stands, or make the last one taken back again."""
    _require_newest(sheet, base)
    undoable, redoable = _open(db, sheet)
    numbers = undoable if way == "undo" else redoable
    if numbers:
        found = _revision(db, sheet, numbers[-1])
        _store(db, sheet, way, found.before if way == "undo" else found.after, found.label)


def ways(db: Session, sheet: Sheet) -> Ways:
    """Labels of what undo and redo would do."""
    undoable, redoable = _open(db, sheet)
    return Ways(
        undo=_revision(db, sheet, undoable[-1]).label if undoable else None,
        redo=_revision(db, sheet, redoable[-1]).label if redoable else None,
    )


def _require_newest(sheet: Sheet, base: int) -> None:
    if base != sheet.revision:
        raise OutOfDateError(
            "This recipe was changed elsewhere in the meantime: "
            "its newest state is shown now, make your change again."
        )


def _open(db: Session, sheet: Sheet) -> tuple[list[int], list[int]]:
    statement = select(SheetRevision.number, SheetRevision.kind)
    statement = statement.where(SheetRevision.recording_id == sheet.recording_id)
    found = db.execute(statement.order_by(SheetRevision.number))
    return open_steps(Step(*one) for one in found)


def _revision(db: Session, sheet: Sheet, number: int) -> SheetRevision:
    statement = select(SheetRevision).where(
        SheetRevision.recording_id == sheet.recording_id, SheetRevision.number == number
    )
    return db.scalars(statement).one()


def _store(db: Session, sheet: Sheet, kind: str, steps: Steps, label: str) -> None:
    sheet.revision += 1
    db.add(SheetRevision(recording_id=sheet.recording_id, number=sheet.revision, kind=kind,
                         label=label[:120], before=sheet.steps, after=steps))  # fmt: skip
    sheet.steps = steps
    db.commit()
