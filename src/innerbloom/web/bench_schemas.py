"""What the Bench sends and gets, as pydantic models."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from innerbloom.core.declare.parameters import Choice, Parameter
from innerbloom.core.sound.loop import Curve
from innerbloom.web.schemas import LoopOut, _In


class StepKindOut(BaseModel, from_attributes=True):
    id: str
    name: str
    help: str
    group: str
    order: int
    declared: list[Parameter | Choice]


LOWEST_HZ, HIGHEST_HZ = 30.0, 20_000.0


class ResponseIn(_In):
    """An equaliser step; what is left out stands at its default."""

    step: dict[str, float | str | bool] = Field(max_length=40)
    points: int = Field(default=97, ge=2, le=500)


class ResponseOut(BaseModel):
    low_hz: float
    high_hz: float
    gain_db: list[float]


class StepKinds(BaseModel):
    kinds: list[StepKindOut]
    pieces: list[Parameter | Choice] = Field(description="Settings of a recording in pieces.")


class StageIn(_In):
    upto: int = Field(ge=0, le=40, description="How many steps are taken; 0 is the recording.")


class StageOut(BaseModel):
    key: str
    frames: int
    duration_s: float
    rate: int
    channels: int
    root_hz: float | None
    root_note: str | None
    cents: float | None
    confidence: float
    partial_hz: float | None = None
    partial_share: float = 0.0
    root_how: str
    lufs: float | None
    peak_dbfs: float | None
    true_peak_dbtp: float | None
    tonalness: float
    loops: list[LoopOut]
    over: str = Field(default="", description="What is said of a peak above the one asked for.")


class StageAnswer(BaseModel):
    key: str
    job: str | None
    stage: StageOut | None


class Piece(_In):
    name: str = Field(min_length=1, max_length=120)
    start: float | None = Field(default=None, ge=0, le=86_400)
    end: float | None = Field(default=None, gt=0, le=86_400)


class KeepIn(_In):
    pieces: list[Piece] = Field(min_length=1, max_length=500)
    together: bool = Field(
        default=False, description="Normalise all pieces by the gain that suits the loudest."
    )


class CopyIn(_In):
    recordings: list[int] = Field(min_length=1, max_length=500)


class Copied(BaseModel):
    copied: int


class StretchIn(_In):
    start: float = Field(default=0.0, ge=0, le=86_400, description="Seconds.")
    end: float = Field(default=0.0, ge=0, le=86_400, description="Seconds; 0 is the end.")


class PitchIn(StretchIn):
    most: int = Field(default=1_200, ge=16, le=6_000, description="Most moments to look at.")


class SteadiestOut(BaseModel):
    start: float
    end: float
    note: float
    spread_cents: float
    confidence: float


class PitchOut(BaseModel):
    start: float
    hop: float
    hz: list[float | None] = Field(description="None where there is no pitch.")
    root: float | None
    confidence: float
    stability_cents: float | None
    steadiest: SteadiestOut | None


class PieceFound(BaseModel):
    key: str
    start: float
    end: float
    level_db: float
    usual: bool


class PiecesFound(BaseModel):
    revision: int
    pieces: list[PieceFound]
    hop: float
    strength: list[float]
    threshold: list[float]


class LoopsIn(StretchIn):
    least: float = Field(default=0.25, ge=0.02, le=600, description="Shortest loop in seconds.")


class LoopFound(BaseModel):
    start: float
    end: float
    closes: float
    likeness: float
    crossfade_ms: float
    curve: Curve
    from_file: bool = False


class LoopsOut(BaseModel):
    loops: list[LoopFound]
    tried: int


class SeamIn(_In):
    start: float = Field(ge=0, le=86_400)
    end: float = Field(ge=0, le=86_400)
    crossfade: float = Field(default=0, ge=0, le=20_000, description="ms")
    curve: Literal["by likeness", "equal power", "linear"] = "by likeness"
    direction: Literal["forward", "backward", "back-and-forth"] = "forward"
    reach: float = Field(default=24.0, ge=0.2, le=500, description="ms on either side.")


class SeamOut(BaseModel):
    leaving: list[float]
    entering: list[float]
    heard: list[float]
    room_ms: float
    step: float
    closes: float
    likeness: float
    curve: Curve
    turn: Literal["", "start", "end"]
    moved: tuple[float, float] | None = Field(
        description="Start and end of the loop moved so that the crossfade has room, in seconds."
    )
    shortened: tuple[float, float] | None = Field(
        description="The same with one edge kept: the crossfade is taken from inside."
    )


class NoteFound(BaseModel):
    note: float
    hz: float
    level_db: float
    partials: int


class NotesOut(BaseModel):
    notes: list[NoteFound]
    explained: float


class TonePlaceOut(BaseModel):
    place: float = Field(description="Seconds, where the sound is strong and steady.")
    note: int = Field(description="The key nearest to its root, C3 where it has none.")


class SnapIn(_In):
    at: float = Field(ge=0, le=86_400)
    way: int = Field(default=0, ge=-1, le=1)


class SnapOut(BaseModel):
    at: float
