"""Sets of variations over HTTP."""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel, Field

from innerbloom.store.models import Document
from innerbloom.web.schemas import _In


class VariationsLine(BaseModel):
    id: int
    name: str
    changed: datetime

    @classmethod
    def of(cls, row: Document) -> VariationsLine:
        return cls(id=row.id, name=row.name, changed=row.changed)


class VariationsList(BaseModel):
    sets: list[VariationsLine]


class VariationsIn(_In):
    """A new set of variations of an instrument, of a sound that one printed, or of a take on its own instrument.

    ``layers`` asks for a loop of each snapshot instead, all equally long.
    """

    instrument: int | None = None
    recording: int | None = None
    take: int | None = None
    layers: bool = False
    name: str = Field(default="", max_length=120)


class VariationShown(BaseModel):
    """One that was drawn.

    ``near`` is the number of a kept one that passes for the same sound; ``gain``, in dB, and
    ``loudness``, in LUFS, are as it is handed over; ``pairs`` the lowest and highest sample of each
    of a hundred stretches.
    """

    number: int
    file: str
    words: str
    seconds: float
    loudness: float | None
    gain: float
    kept: bool
    by_hand: bool
    near: int | None
    place: tuple[float, float]
    pairs: list[float]


class VariationsDrawn(BaseModel):
    """What was drawn, and whether it can be handed over.

    ``wrong`` says why it cannot; ``warnings`` what is not right yet. ``least`` is how unlike the two
    kept that are most alike are.
    """

    revision: int
    made: str
    drawn: list[VariationShown]
    kept: int
    seconds: float
    least: float
    wrong: str
    warnings: list[str]
