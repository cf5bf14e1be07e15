"""The shelf as lists show it: one light line a sound, read without decoding all that is known."""

from __future__ import annotations

import json
import threading
from typing import Any, NamedTuple

import numpy as np
from sqlalchemy import String, case, cast, event, func, literal_column, select, text
from sqlalchemy.orm import Session, sessionmaker

from innerbloom.store.columns import Columns, Positions
from innerbloom.store.measured_words import plain_word
from innerbloom.store.models import Recording

_MEASURED = (
    "duration_s",
    "rate",
    "channels",
    "frames",
    "root_hz",
    "confidence",
    "lufs",
    "momentary_lufs",
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
    collection: str
    duration_s: float
    rate: int
    channels: int
    frames: int | None
    root_hz: float | None
    confidence: float
    lufs: float | None
    momentary_lufs: float | None
    peak_dbfs: float | None
    tonalness: float
    timbre: list[float]

    @property
    def loudness(self) -> float | None:
        """In LUFS: integrated, or momentary where a sound is too short for that."""
        return self.momentary_lufs if self.lufs is None else self.lufs


class Shelf:
    """All lines of the shelf in memory; what was changed is read anew.

    Parameters
    ----------
    sessions : sessionmaker
        Makes every session that changes recordings, so that changes are seen.
    """

    def __init__(self, sessions: sessionmaker[Session]) -> None:
        self._lines: dict[int, Line] | None = None
        self._columns: Columns | None = None
        self._texts: dict[int, str] | None = None
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
            return list(self._read_lines(db).values())

    def _read_lines(self, db: Session) -> dict[int, Line]:
        if self._lines is None or len(self._stale) > _MANY:
            self._lines = _read(db)
            self._columns = self._texts = None
        elif self._stale:
            found = _read(db, self._stale)
            kept = {id_: one for id_, one in self._lines.items() if id_ not in self._stale}
            self._lines = dict(sorted({**kept, **found}.items()))
            self._columns = None
            if self._texts is not None:
                self._texts |= _read_texts(db, self._stale)
        self._stale.clear()
        return self._lines

    def columns(self, db: Session, tuning: float = 440.0) -> Columns:
        """The same by column; kept until a sound changes."""
        with self._lock:
            lines = self._read_lines(db)
            if self._columns is None or self._columns.tuning != tuning:
                self._columns = Columns(list(lines.values()), tuning)
            return self._columns

    def matching(self, db: Session, query: str, tuning: float = 440.0) -> tuple[Columns, Positions]:
        """The shelf, and where on it every word of ``query`` is found in the texts of a sound or is a
        word for what was measured of it."""
        columns = self.columns(db, tuning)
        fits = np.ones(len(columns), bool)
        for word in query.split():
            has = columns.with_word(plain_word(word))
            has[columns.positions(self._with_text(db, word))] = True
            fits &= has
        return columns, np.flatnonzero(fits)

    def _with_text(self, db: Session, word: str) -> list[int]:
        """Ids of the sounds that have a word, or a part of one, in any of their texts."""
        if len(word) >= _SHORTEST:
            # a phrase in quotes is taken letter by letter, whatever it means to the index
            phrase = '"' + word.replace('"', '""') + '"'
            return list(db.scalars(_TEXT_WORD, {"phrase": phrase}))
        with self._lock:
            if self._texts is None:
                self._texts = _read_texts(db)
            folded = word.casefold()
            return [id_ for id_, one in self._texts.items() if folded in one]


_MANY = 10_000
"""Changed sounds from which all is read anew: a statement takes only so many ids."""

_CHANGED = "changed recordings"


def _note_changes(db: Session, _: object) -> None:
    changed = {one.id for one in (*db.new, *db.dirty, *db.deleted) if isinstance(one, Recording)}
    db.info.setdefault(_CHANGED, set()).update(changed)


def _read(db: Session, ids: set[int] | None = None) -> dict[int, Line]:
    columns: list[Any] = [Recording.id, Recording.digest, Recording.name, Recording.filename]
    columns += [Recording.kind, cast(Recording.tags, String), Recording.place]
    columns += [Recording.collection]
    # an entry that cannot be read is listed without figures, and takes none of the others with it
    valid = func.json_valid(Recording.measured) == 1
    measured = case((valid, Recording.measured), else_=literal_column("'{}'"))
    columns += [func.json_extract(measured, f"$.{name}") for name in _MEASURED]
    statement = select(*columns).where(Recording.deleted.is_(None)).order_by(Recording.id)
    if ids is not None:
        statement = statement.where(Recording.id.in_(ids))
    found = {}
    for row in db.execute(statement):
        id_, digest, name, filename, kind, tags, *rest, timbre = row
        texts = (digest, name, filename, kind, json.loads(tags))
        line = Line._make((id_, *texts, *rest, json.loads(timbre or "[]")))
        found[id_] = line._replace(**_NO_FIGURES) if line.duration_s is None else line
    return found


_NO_FIGURES: dict[str, Any] = {
    "duration_s": 0.0, "rate": 0, "channels": 0, "confidence": 0.0, "tonalness": 0.0
}  # fmt: skip


_TEXT_WORD = text("SELECT rowid FROM recording_text WHERE recording_text MATCH :phrase")
_SHORTEST = 3
"""Letters that the trigram index needs; shorter words are looked for in the texts themselves."""


def _read_texts(db: Session, ids: set[int] | None = None) -> dict[int, str]:
    """All texts of sounds in one each, upper and lower case being the same."""
    columns = [cast(Recording.tags, String), *(getattr(Recording, name) for name in _TEXTS)]
    statement = select(Recording.id, *columns)
    if ids is not None:
        statement = statement.where(Recording.id.in_(ids))
    # what stands between texts is in no word
    return {id_: "\n".join(texts).casefold() for id_, *texts in db.execute(statement)}


_TEXTS = (
    *("name", "filename", "title", "scene", "take"),
    *("place", "notes", "recordist", "licence", "date", "collection"),
)
