"""What may be asked of takes, and what comes back."""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel, Field

from innerbloom.core.performance.take_document import MomentShown
from innerbloom.store.models import Document
from innerbloom.store.take_sounds import Rendering
from innerbloom.web.schemas import _In


class TakeLine(BaseModel):
    """A take in the list.

    ``folder`` is its id on the disk; ``kept`` and ``changed`` count moments and edits of its hands.
    """

    id: int
    name: str
    folder: str
    seconds: float
    began: str
    instrument: int | None
    instrument_name: str
    origin: str
    backing: str
    backing_at: float
    kept: int
    changed: int
    created: datetime

    @classmethod
    def of(cls, row: Document) -> TakeLine:
        told = {key: value for key, value in row.summary.items() if key in cls.model_fields}
        return cls(**{**told, "id": row.id, "name": row.name, "created": row.created})


class TakeList(BaseModel):
    takes: list[TakeLine]


class TakesFound(BaseModel):
    """What was recorded and is now among the takes; ``problems`` says what could not be read."""

    entered: list[int]
    jobs: list[str]
    problems: list[str]


class NoteShown(BaseModel):
    """A note: times in seconds of the take's sound."""

    start: float
    end: float
    key: float
    velocity: float


class LaneShown(BaseModel):
    """Something that moves: its name, the range of its values, and points of (seconds, value)."""

    id: str
    name: str
    low: float
    high: float
    points: list[tuple[float, float]]


class TakeLayer(BaseModel):
    """A layer of the instrument that a take begins with."""

    id: str
    name: str


class StemShown(BaseModel):
    """One of several ways to play a take that add up to the whole: see ``WayIn``."""

    layers: list[str]
    stream: str | None


class Hands(BaseModel):
    """The hands of a take as they are now.

    ``missing`` names recordings that it plays and that are not in the project any more; ``finer``
    says whether it sounds otherwise in high quality.
    """

    seconds: float
    notes: list[NoteShown]
    lanes: list[LaneShown]
    marks: list[float]
    missing: list[str]
    layers: list[TakeLayer]
    snapshots: list[TakeLayer]
    streams: list[TakeLayer]
    stems: list[StemShown]
    finer: bool


class MomentList(BaseModel):
    """Moments as they follow from the newest revision; ``ready`` is false while it is listened to."""

    revision: int
    ready: bool
    moments: list[MomentShown]


class KeptMoment(BaseModel):
    id: int
    name: str
    key: str
    start: float
    end: float


class KeptList(BaseModel):
    kept: list[KeptMoment]


class RenderingList(BaseModel):
    renderings: list[Rendering]


class TakePeaksIn(_In):
    start: float = Field(default=0.0, ge=0, le=1)
    end: float = Field(default=1.0, ge=0, le=1)
    columns: int = Field(default=800, ge=2, le=8_000)
    sound: str = Field(default="", pattern=r"^([0-9a-f]{32})?$")


class KeepMomentsIn(_In):
    """Which moments, by their keys; all that are kept and not on the shelf where none is named."""

    keys: list[str] = Field(default=[], max_length=2_000)


class WayIn(_In):
    """How to play again; all defaults play it as it was."""

    seed: int | None = Field(default=None, ge=0, le=999_999)
    slower: float = Field(default=1.0, ge=0.1, le=10)
    layers: list[str] = Field(default=[], max_length=16)
    instrument: int | None = None
    ensemble: int | None = None
    snapshot: str | None = Field(default=None, max_length=16)
    stream: str | None = Field(default=None, max_length=16)
    fine: bool = False


class AgainIn(_In):
    """Play a take again, or a stretch of it; ``adopt`` makes it what is heard of the take."""

    start: float = Field(default=0.0, ge=0)
    end: float | None = Field(default=None, gt=0)
    ways: list[WayIn] = Field(min_length=1, max_length=16)
    adopt: bool = False


class KeepRenderingIn(_In):
    name: str = Field(min_length=1, max_length=120)


class CompPart(_In):
    """A stretch of one of several takes that were played along to the same sound."""

    take: int
    start: float = Field(ge=0)


class CompIn(_In):
    """Put takes together: each is heard from its start until the next one's, crossfaded."""

    name: str = Field(default="Comp", min_length=1, max_length=120)
    parts: list[CompPart] = Field(min_length=1, max_length=200)
    crossfade: float = Field(default=20.0, ge=1, le=2_000)


class OverdubIn(_In):
    """Lanes of another take in place of those of this one, from their first event to their last.

    ``at`` is where in this one the other began, in seconds.
    """

    revision: int = Field(ge=0)
    folder: str = Field(pattern=r"^[0-9a-f]{32}$")
    lanes: list[str] = Field(min_length=1, max_length=60)
    at: float = Field(default=0.0, ge=0)


class MidiTakeIn(_In):
    """On which instrument a MIDI file is played."""

    instrument: int
    name: str = Field(default="", max_length=120)


class TakeTakenIn(BaseModel):
    """A take that is new, and the job that listens to it."""

    take: int
    job: str
