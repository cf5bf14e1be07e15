"""The shelf as lists show it: one light line a sound, read without decoding all that is known."""

from __future__ import annotations

import json
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, String, cast, func, or_, select
from sqlalchemy.orm import Session

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
)


class Line(NamedTuple):
    """One sound: what a list shows and what it is found by.

    ``timbre`` is only there where it was asked for.
    """

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
    timbre: list[float] | None = None


def lines(db: Session, query: str = "", *, timbre: bool = False) -> list[Line]:
    """Sounds that are not deleted, oldest first.

    Parameters
    ----------
    query : str
        Words that must all be found in what is known of a sound.
    timbre : bool
        Whether to read what sounds are compared by.
    """
    columns: list[Any] = [Recording.id, Recording.digest, Recording.name, Recording.filename]
    columns += [Recording.kind, cast(Recording.tags, String), Recording.place]
    columns += [func.json_extract(Recording.measured, f"$.{name}") for name in _MEASURED]
    if timbre:
        columns.append(func.json_extract(Recording.measured, "$.timbre"))
    statement = select(*columns).where(Recording.deleted.is_(None), *_matching(query))
    found = []
    for row in db.execute(statement.order_by(Recording.id)):
        values = list(row)
        values[5] = json.loads(values[5])
        if timbre:
            values[-1] = None if values[-1] is None else json.loads(values[-1])
        found.append(Line(*values))
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
