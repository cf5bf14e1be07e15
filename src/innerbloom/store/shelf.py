"""The shelf as lists show it: one light line a sound, read without decoding all that is known."""

from __future__ import annotations

import json
import threading
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, String, cast, event, func, or_, select
from sqlalchemy.orm import Session, sessionmaker

from innerbloom.store.models import Recording

_MEASURED = (
    "duration_s",
    "rate",
    "channels",
    "frames",
    "root_hz",
    "confidence",
    "lufs",
    "peak_dbfs",
    "tonalness",
    "timbre",
)


class Line(NamedTuple):
    """One sound: what a list shows and what it is found by."""

    id: int
    digest: str
    name: str
    filename: str
    kind: str
    tags: list[str]
    place: str
    duration_s: float
    rate: int
    channels: int
    frames: int | None
    root_hz: float | None
    confidence: float
    lufs: float | None
    peak_dbfs: float | None
    tonalness: float
    timbre: list[float]


class Shelf:
    """All lines of the shelf in memory; what was changed is read anew.

    Parameters
    ----------
    sessions : sessionmaker
        Makes every session that changes recordings, so that changes are seen.
    """

    def __init__(self, sessions: sessionmaker[Session]) -> None:
        self._lines: dict[int, Line] | None = None
        self._stale: set[int] = set()
        self._lock = threading.Lock()
        event.listen(sessions, "after_flush", _note_changes)
        event.listen(sessions, "after_commit", self._take_changes)
        # what was looked at before it was taken back is read anew as well
        event.listen(sessions, "after_rollback", self._take_changes)

    def _take_changes(self, db: Session) -> None:
        with self._lock:
            self._stale |= db.info.pop(_CHANGED, set())

    def lines(self, db: Session) -> list[Line]:
        """Sounds that are not deleted, oldest first."""
        with self._lock:
            if self._lines is None:
                self._lines = _read(db)
            elif self._stale:
                found = _read(db, self._stale)
                kept = {id_: one for id_, one in self._lines.items() if id_ not in self._stale}
                self._lines = dict(sorted({**kept, **found}.items()))
            self._stale.clear()
            return list(self._lines.values())

    def matching(self, db: Session, query: str) -> list[Line]:
        """The same, where all words of ``query`` are found in what is known of a sound."""
        conditions = _matching(query)
        if not conditions:
            return self.lines(db)
        ids = set(db.scalars(select(Recording.id).where(*conditions)))
        return [line for line in self.lines(db) if line.id in ids]


_CHANGED = "changed recordings"


def _note_changes(db: Session, _: object) -> None:
    changed = {one.id for one in (*db.new, *db.dirty, *db.deleted) if isinstance(one, Recording)}
    db.info.setdefault(_CHANGED, set()).update(changed)


def _read(db: Session, ids: set[int] | None = None) -> dict[int, Line]:
    columns: list[Any] = [Recording.id, Recording.digest, Recording.name, Recording.filename]
    columns += [Recording.kind, cast(Recording.tags, String), Recording.place]
    columns += [func.json_extract(Recording.measured, f"$.{name}") for name in _MEASURED]
    statement = select(*columns).where(Recording.deleted.is_(None)).order_by(Recording.id)
    if ids is not None:
        statement = statement.where(Recording.id.in_(ids))
    found = {}
    for row in db.execute(statement):
        id_, digest, name, filename, kind, tags, *rest, timbre = row
        texts = (digest, name, filename, kind, json.loads(tags))
        found[id_] = Line._make((id_, *texts, *rest, json.loads(timbre or "[]")))
    return found


_TEXTS = (
    Recording.name,
    Recording.filename,
    Recording.notes,
    Recording.recordist,
    Recording.licence,
    Recording.date,
    Recording.place,
    cast(Recording.tags, String),
)


def _matching(query: str) -> list[ColumnElement[bool]]:
    # the root note is text inside the measured values
    note = func.json_extract(Recording.measured, "$.root_note")
    return [
        or_(
            *(text.icontains(word, autoescape=True) for text in _TEXTS),
            func.lower(note) == word.lower(),
        )
        for word in query.split()
    ]
