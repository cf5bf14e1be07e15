"""Sets of samples over HTTP."""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel, ConfigDict, Field

from innerbloom.core.deliver.samples.sampled import Sampled
from innerbloom.web.schemas import _In


class SamplesLine(BaseModel):
    model_config = ConfigDict(from_attributes=True)

    id: int
    name: str
    changed: datetime


class SamplesList(BaseModel):
    sets: list[SamplesLine]


class SamplesIn(_In):
    """A new set of samples of an instrument."""

    instrument: int
    name: str = Field(default="", max_length=120)


class EstimateOut(BaseModel):
    """What sampling will come to: keys, files and bytes as the least and the most; ``seconds`` of each file."""

    model_config = ConfigDict(from_attributes=True)

    keys: tuple[int, int]
    files: tuple[int, int]
    seconds: float
    bytes: tuple[int, int]


class SamplesMade(BaseModel):
    """What was sampled, and whether it can be handed over.

    ``bytes`` is about what its files take; ``wrong`` says why it cannot; ``warnings`` what is not right yet; ``stale`` whether the set was changed since.
    """

    revision: int
    made: str
    notes: list[Sampled]
    files: list[str]
    bytes: int
    estimate: EstimateOut | None
    wrong: str
    warnings: list[str]
    stale: bool
