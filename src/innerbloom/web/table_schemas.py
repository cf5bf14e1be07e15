"""What the Bench sends and gets about wavetables, as pydantic models."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, Field

from innerbloom.core.declare.parameters import Choice, Parameter
from innerbloom.web.schemas import _In


class NewTable(_In):
    """A wavetable of a recording, of cycles in several, or of a recipe.

    Attributes
    ----------
    recordings : list of int
        One to take frames from, or several of one cycle each where ``cycles`` is set.
    cycles : bool
    cycle : int or None
        Samples of a cycle in the recordings; None where each is one as a whole.
    document : dict or None
        A recipe instead.
    """

    name: str = Field(default="", max_length=120)
    recordings: list[int] = Field(default=[], max_length=256)
    cycles: bool = False
    cycle: int | None = Field(default=None, ge=8, le=16_384)
    document: dict[str, Any] | None = None


class KeepTable(_In):
    name: str = Field(min_length=1, max_length=120)


class SplitTable(_In):
    revision: int = Field(ge=0)
    at: int = Field(ge=1, le=255, description="The frame that begins the second part.")


class RetracedOut(BaseModel):
    timbre_db: float
    level_db: float


class TableMade(BaseModel):
    """A table at hand: where its sound is found, and what is known of it."""

    key: str
    frames: int
    by: str
    retraced: RetracedOut | None
    swept: str | None
    seconds: list[float] | None


class AuditionAsked(_In):
    place: float = Field(default=0.0, ge=0, le=1, description="Where in the table it begins.")


class TableAnswer(BaseModel):
    """A table at hand, or the job that makes it."""

    made: TableMade | None
    job: str | None


class TablePicture(BaseModel):
    """A table to look at.

    Attributes
    ----------
    columns : int
        Samples of each frame shown.
    ink : str
        Base64 of signed bytes, frame by frame: the waves, 127 the highest.
    levels : list of float
        RMS of each frame in dB.
    """

    frames: int
    columns: int
    ink: str
    levels: list[float]


class FrameOut(BaseModel):
    """One frame: its wave, and levels of harmonics 1, 2, ... in dB below a full-scale sine."""

    wave: list[float]
    levels: list[float]


class TableStepKind(BaseModel):
    id: str
    name: str
    help: str
    parameters: list[Parameter | Choice]


class TableWords(BaseModel):
    """Everything that can be set in a recipe, as it is declared."""

    recording: list[Parameter | Choice]
    waves: list[Parameter | Choice]
    operator: list[Parameter | Choice]
    steps: list[TableStepKind]
    cycle: int


class LayoutOut(BaseModel):
    cycle: int
    frames: int
    how: str
    sure: bool
