"""Instruments and their revisions in the database."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.instrument.history import Patch, Step, apply_patch, completed, open_steps
from innerbloom.store.models import InstrumentRow, Revision, now

Way = Literal["undo", "redo"]


class OutOfDateError(BloomError):
    """Someone else changed the instrument in the meantime."""


@dataclass(frozen=True)
class Ways:
    """What undo and redo would do now; None where there is nothing."""

    undo: str | None
    redo: str | None


def listed(db: Session) -> list[InstrumentRow]:
    """Instruments that are not deleted, last changed first."""
    kept = select(InstrumentRow).where(InstrumentRow.deleted.is_(None))
    return list(db.scalars(kept.order_by(InstrumentRow.changed.desc(), InstrumentRow.id.desc())))


def create(db: Session, document: Instrument) -> InstrumentRow:
    row = InstrumentRow(name=document.name, document=document.model_dump(mode="json"))
    db.add(row)
    db.commit()
    return row


def edit(db: Session, row: InstrumentRow, base: int, patch: Patch, label: str) -> None:
    """Store one change as a revision.

    Raises
    ------
    OutOfDateError
        If ``base`` is not the newest revision.
    DocumentError
        If the change is not valid.
    """
    _require_newest(row, base)
    document, inverse = apply_patch(row.document, patch)
    if document != completed(row.document):
        _store(db, row, "edit", document, patch, inverse, label)


def step(db: Session, row: InstrumentRow, base: int, way: Way) -> None:
    """Take back the last change that stands, or make the last one taken back again.

    Does nothing where there is none.
    """
    _require_newest(row, base)
    undoable, redoable = _open(db, row)
    steps = undoable if way == "undo" else redoable
    if steps:
        found = _revision(db, row, steps[-1])
        patch = found.inverse if way == "undo" else found.patch
        document, inverse = apply_patch(row.document, patch)
        _store(db, row, way, document, patch, inverse, found.label)


def ways(db: Session, row: InstrumentRow) -> Ways:
    """Labels of what undo and redo would do."""
    undoable, redoable = _open(db, row)
    return Ways(
        undo=_revision(db, row, undoable[-1]).label if undoable else None,
        redo=_revision(db, row, redoable[-1]).label if redoable else None,
    )


def set_deleted(db: Session, row: InstrumentRow, deleted: bool) -> None:
    row.deleted = now() if deleted else None
    db.commit()


def _require_newest(row: InstrumentRow, base: int) -> None:
    if base != row.revision:
        raise OutOfDateError(
            "This instrument was changed elsewhere in the meantime: "
            "its newest state is shown now, make your change again."
        )


def _open(db: Session, row: InstrumentRow) -> tuple[list[int], list[int]]:
    statement = select(Revision.number, Revision.kind).where(Revision.instrument_id == row.id)
    return open_steps(Step(*found) for found in db.execute(statement.order_by(Revision.number)))


def _revision(db: Session, row: InstrumentRow, number: int) -> Revision:
    statement = select(Revision).where(Revision.instrument_id == row.id, Revision.number == number)
    return db.scalars(statement).one()


def _store(
    db: Session,
    row: InstrumentRow,
    kind: str,
    document: dict[str, Any],
    patch: Patch,
    inverse: Patch,
    label: str,
) -> None:
    row.revision += 1
    row.document, row.name, row.changed = document, document["name"], now()
    db.add(Revision(instrument_id=row.id, number=row.revision, kind=kind, label=label[:120],
                    patch=patch, inverse=inverse))  # fmt: skip
    db.commit()
