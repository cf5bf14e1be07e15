"""Timelines over HTTP: what may be asked, and what comes back."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from innerbloom.core.deliver.picture_ready import Finding, Mend
from innerbloom.core.timeline.document import MOST_FRAMES
from innerbloom.core.timeline.measure import TimelineMeasure
from innerbloom.core.timeline.timecode import RateName
from innerbloom.store.models import Document
from innerbloom.web.schemas import _In

PartId = Annotated[str, Field(max_length=16)]
Frame = Annotated[int, Field(ge=-MOST_FRAMES, le=MOST_FRAMES)]


class TimelineLine(BaseModel):
    id: int
    name: str
    changed: datetime
    scenes: int
    lanes: int

    @classmethod
    def of(cls, row: Document) -> TimelineLine:
        counted = {key: row.summary.get(key, 0) for key in ("scenes", "lanes")}
        return cls(id=row.id, name=row.name, changed=row.changed, **counted)


class TimelineList(BaseModel):
    timelines: list[TimelineLine]


class TimelineIn(_In):
    name: str = Field(default="Film", min_length=1, max_length=120)


class _Do(_In):
    revision: int = Field(ge=0)


class AddLane(_Do):
    do: Literal["add lane"]


class RemoveLane(_Do):
    do: Literal["remove lane"]
    lane: PartId


class MoveLane(_Do):
    """To another place, 0 for the top."""

    do: Literal["move lane"]
    lane: PartId
    to: int = Field(ge=0, le=64)


class PlaceClip(_Do):
    """A sound of the shelf, or a take, at a frame; on a lane of its own where none is named.

    ``offset`` is where in it the clip begins, in seconds.
    """

    do: Literal["place"]
    frame: Frame
    lane: PartId | None = None
    recording: int | None = None
    take: int | None = None
    offset: float = Field(default=0.0, ge=0, le=86_400)


class MoveClip(_Do):
    do: Literal["move clip"]
    clip: PartId
    frame: Frame
    lane: PartId | None = None


class TrimClip(_Do):
    """``end`` is one past its last frame."""

    do: Literal["trim clip"]
    clip: PartId
    frame: Frame
    end: Frame


class OfClip(_Do):
    do: Literal["duplicate clip", "remove clip"]
    clip: PartId


class SplitClip(_Do):
    do: Literal["split clip"]
    clip: PartId
    frame: Frame


class AddScene(_Do):
    do: Literal["add scene"]
    frame: int = Field(ge=0, le=MOST_FRAMES)


class MoveScene(_Do):
    do: Literal["move scene"]
    scene: PartId
    frame: Frame


class RemoveScene(_Do):
    do: Literal["remove scene"]
    scene: PartId


class AtCuts(_Do):
    """Scenes where the film cuts."""

    do: Literal["scenes at cuts"]


class SetClock(_Do):
    """Rate, counting and first timecode; with a film the rate is the film's."""

    do: Literal["set clock"]
    rate: RateName
    drop: bool = False
    start: str = Field(max_length=20)


class SetLength(_Do):
    """How long the picture is, as the timecode one past its last frame."""

    do: Literal["set length"]
    end: str = Field(max_length=20)


class RemoveFilm(_Do):
    do: Literal["remove film"]


class MendFinding(_Do):
    do: Literal["mend"]
    what: Mend
    owner: PartId


TimelineAction = (
    AddLane | RemoveLane | MoveLane | PlaceClip | MoveClip | TrimClip | OfClip | SplitClip
    | AddScene | MoveScene | RemoveScene | AtCuts | SetClock | SetLength | RemoveFilm | MendFinding
)  # fmt: skip


class TimelineActionIn(_In):
    action: TimelineAction = Field(discriminator="do")


class FileIn(_In):
    """A file in the body, by its own name."""

    name: str = Field(min_length=1, max_length=255)


class ScenesIn(FileIn):
    revision: int = Field(ge=0)


class HandedOver(BaseModel):
    """What was handed over last, and what was changed since."""

    when: datetime
    stems: int
    files: int
    changed: list[str]


class TimelineReady(BaseModel):
    """Whether a timeline can be handed over.

    ``measure`` is None until it has been measured as it is now; ``raised`` is by how many dB all stems
    are raised alike; ``wrong`` says why it cannot be handed over at all; ``cuts`` is how often the film
    cuts.
    """

    revision: int
    measure: TimelineMeasure | None
    raised: float
    findings: list[Finding]
    missing: list[str]
    stems: list[str]
    wrong: str
    cuts: int
    handed: HandedOver | None


class ClipOutline(BaseModel):
    """The picture of a whole sound: lowest and highest sample by turns, -127..127."""

    source: str
    seconds: float
    pairs: list[int]


class TimelineOutlines(BaseModel):
    outlines: list[ClipOutline]
