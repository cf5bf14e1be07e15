"""Takes in the database: entered once they are on the disk, then documents with revisions."""

from __future__ import annotations

from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from innerbloom.core.errors import BloomError
from innerbloom.core.performance.hands import edited
from innerbloom.core.performance.take import Take
from innerbloom.core.performance.take_document import KIND, About, TakeDocument, parse_take
from innerbloom.store import documents, recordings
from innerbloom.store.models import Document, Recording
from innerbloom.store.take_folders import StoredTake, TakeFolders


def enter_found(db: Session, folders: TakeFolders) -> tuple[list[Document], list[str]]:
    """Enter takes that are on the disk and not known yet; gives them, and what went wrong."""
    folder = func.json_extract(Document.summary, "$.folder")
    known = set(db.scalars(select(folder).where(Document.kind == KIND.id)))
    entered, problems = [], []
    for take_id in folders.ids():
        if take_id in known:
            continue
        try:
            entered.append(enter(db, folders.read(take_id)))
        except BloomError as error:
            problems.append(str(error))
    return entered, problems


def enter(db: Session, stored: StoredTake, name: str = "Take") -> Document:
    """A document about a take."""
    header = stored.header
    about = About(
        folder=stored.id, seconds=round(stored.take.seconds, 3), began=header.began.isoformat(),
        instrument=header.instrument, instrument_name=header.name, origin=header.origin,
        exact=stored.take.exact, lost=stored.lost + header.lost, cut_short=stored.cut_short,
        tempo=header.tempo,
        backing="" if header.backing is None else header.backing.sound,
        backing_at=0.0 if header.backing is None else header.backing.at,
    )  # fmt: skip
    return documents.create(db, KIND, TakeDocument(name=name, about=about))


def hands_of(row: Document, folders: TakeFolders) -> Take:
    """A take with its hands as they are now."""
    document: Any = parse_take(row.content)
    return edited(folders.read(document.about.folder).take, document.edits)


def kept_from(db: Session, take: int) -> list[Recording]:
    """What of a take is on the shelf, in the order of the take."""
    of_take = func.json_extract(Recording.lineage, "$.take")
    kept = select(Recording).where(of_take == take, Recording.deleted.is_(None))
    return sorted(db.scalars(kept), key=lambda row: float(row.lineage.get("start", 0.0)))


def to_keep(
    db: Session, row: Document, folders: TakeFolders, sound: str, tuning: float
) -> dict[str, Any]:
    """Parameters of the job that puts moments of a take on the shelf.

    Parameters
    ----------
    sound : str
        Where the sound lies that they are cut from: see :meth:`.TakeFolders.sound_path`.
    tuning : float
        The project's A4 in Hz.
    """
    document: Any = parse_take(row.content)
    take = hands_of(row, folders)
    return {
        "sound": sound, "level": document.level, "peak": document.peak,
        "loudness": document.loudness, "ceiling": take.document["settings"]["ceiling"],
        "tuning": tuning, "origin": _credits(db, take, row.name),
        "lineage": {
            "take": row.id, "take_name": row.name,
            "instrument_name": document.about.instrument_name,
            "recordings": sorted(take.recordings()),
        },
    }  # fmt: skip


def _credits(db: Session, take: Take, name: str) -> dict[str, str]:
    """Who recorded what is played, and under which licence: everyone, once."""
    rows = [recordings.with_digest(db, one) for one in sorted(take.recordings())]
    told = {
        field: ", ".join(sorted({getattr(row, field) for row in rows if row} - {""}))
        for field in ("recordist", "licence")
    }
    return {**told, "notes": f"A moment of {name}, played here"}
