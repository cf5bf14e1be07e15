"""Documents with revisions in the database: instruments, and what the Bench does to a sound."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from innerbloom.core.declare.registry import Registry
from innerbloom.core.declare.revisions import (
    DocumentKind,
    Patch,
    Plain,
    Step,
    Way,
    difference,
    open_steps,
)
from innerbloom.core.deliver.samples.document import KIND as SAMPLES
from innerbloom.core.deliver.variation_set import KIND as VARIATIONS
from innerbloom.core.ensemble.document import KIND as ENSEMBLE
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.document import KIND as INSTRUMENT
from innerbloom.core.materials.spectrum.document import KIND as SPECTRUM
from innerbloom.core.materials.wavetable.document import KIND as WAVETABLE
from innerbloom.core.names import numbered
from innerbloom.core.performance.take_document import KIND as TAKE
from innerbloom.core.prepare.pieces import KIND as PIECES
from innerbloom.core.prepare.recipe import KIND as RECIPE
from innerbloom.core.prepare.recipe import default_steps
from innerbloom.core.timeline.document import KIND as TIMELINE
from innerbloom.store.models import Document, Recording, Revision, now

DOCUMENT_KINDS: Registry[DocumentKind[Any]] = Registry(
    INSTRUMENT, ENSEMBLE, RECIPE, WAVETABLE, SPECTRUM, PIECES, TAKE, VARIATIONS, TIMELINE, SAMPLES
)
"""Every kind of document that has revisions."""

M = TypeVar("M", bound=BaseModel)


class OutOfDateError(BloomError):
    """Someone else changed the document in the meantime."""


@dataclass(frozen=True)
class Ways:
    """What undo and redo would do now; None where there is nothing."""

    undo: str | None
    redo: str | None


def listed(db: Session, kind: DocumentKind[Any]) -> list[Document]:
    """Documents of a kind that are not deleted, last changed first."""
    kept = select(Document).where(Document.kind == kind.id, Document.deleted.is_(None))
    return list(db.scalars(kept.order_by(Document.changed.desc(), Document.id.desc())))


def create(
    db: Session, kind: DocumentKind[M], document: M, recording: Recording | None = None
) -> Document:
    """A new document; one of the Bench belongs to ``recording``, others have names of their own."""
    if recording is None:
        taken = [row.name for row in listed(db, kind)]
        document = document.model_copy(update={"name": numbered(document.name, taken)})  # type: ignore[attr-defined]
    plain = document.model_dump(mode="json")
    row = Document(
        kind=kind.id, content=plain, name=plain.get("name", ""), summary=kind.summary(plain),
        recording_id=None if recording is None else recording.id,
    )  # fmt: skip
    db.add(row)
    db.commit()
    return row


def kind_at_bench(recording: Recording) -> DocumentKind[Any]:
    """What the Bench keeps about a sound: a recipe, or how its wavetable or spectrum is made."""
    return DOCUMENT_KINDS.get(recording.kind, RECIPE)


def at_bench(db: Session, recording: Recording) -> Document:
    """The Bench's document about a sound, begun now if it has none."""
    kind = kind_at_bench(recording)
    return of_recording(db, kind, recording, lambda: kind.parse(_first(recording)))


def of_recording(
    db: Session, kind: DocumentKind[M], recording: Recording, first: Callable[[], M]
) -> Document:
    """The document of a kind that belongs to a sound, begun now if it has none."""
    kept = select(Document).where(Document.kind == kind.id, Document.recording_id == recording.id)
    return db.scalars(kept).first() or create(db, kind, first(), recording)


def _first(recording: Recording) -> Plain:
    """What the work on a sound begins with: a material of a kind of its own with its recipe."""
    made: Plain | None = recording.lineage.get("table") or recording.lineage.get("spectrum")
    return made or {"steps": list(default_steps(recording.measured["duration_s"]))}


def edit(db: Session, row: Document, base: int, patch: Patch, label: str) -> None:
    """Store one change as a revision.

    Raises
    ------
    OutOfDateError
        If ``base`` is not the newest revision.
    BloomError
        If the change is not valid.
    """
    _require_newest(row, base)
    kind = DOCUMENT_KINDS[row.kind]
    content, inverse = kind.patched(row.content, patch)
    if content != kind.complete(row.content):
        _store(db, row, content, Revision(kind="edit", label=label, patch=patch, inverse=inverse))


def replace(db: Session, row: Document, base: int, document: BaseModel, label: str) -> None:
    """Store another state as a revision; raises as :func:`edit` does."""
    before = DOCUMENT_KINDS[row.kind].complete(row.content)
    edit(db, row, base, difference(before, document.model_dump(mode="json")), label)


def step(db: Session, row: Document, base: int, way: Way) -> None:
    """Take back the last change that stands, or make the last one taken back again.

    Does nothing where there is none.
    """
    _require_newest(row, base)
    undoable, redoable = _open(db, row)
    steps = undoable if way == "undo" else redoable
    if steps:
        found = _revision(db, row, steps[-1])
        patch = found.inverse if way == "undo" else found.patch
        content, inverse = DOCUMENT_KINDS[row.kind].patched(row.content, patch)
        told = Revision(kind=way, label=found.label, patch=patch, inverse=inverse)
        _store(db, row, content, told)


def ways(db: Session, row: Document) -> Ways:
    """Labels of what undo and redo would do."""
    undoable, redoable = _open(db, row)
    return Ways(
        undo=_revision(db, row, undoable[-1]).label if undoable else None,
        redo=_revision(db, row, redoable[-1]).label if redoable else None,
    )


def set_deleted(db: Session, row: Document, deleted: bool) -> None:
    row.deleted = now() if deleted else None
    db.commit()


def _require_newest(row: Document, base: int) -> None:
    if base != row.revision:
        raise OutOfDateError(
            f"This {DOCUMENT_KINDS[row.kind].name} was changed elsewhere in the meantime: "
            "its newest state is shown now, make your change again."
        )


def _open(db: Session, row: Document) -> tuple[list[int], list[int]]:
    statement = select(Revision.number, Revision.kind).where(Revision.document_id == row.id)
    return open_steps(Step(*found) for found in db.execute(statement.order_by(Revision.number)))


def _revision(db: Session, row: Document, number: int) -> Revision:
    statement = select(Revision).where(Revision.document_id == row.id, Revision.number == number)
    return db.scalars(statement).one()


def _store(db: Session, row: Document, content: Plain, told: Revision) -> None:
    row.revision += 1
    row.content, row.name, row.changed = content, content.get("name", ""), now()
    row.summary = DOCUMENT_KINDS[row.kind].summary(content)
    told.document_id, told.number, told.label = row.id, row.revision, told.label[:120]
    db.add(told)
    db.commit()
