"""A timeline: a film, its scenes, and lanes of clips placed on the frame.

Frames are whole and count from the first one of the picture; ``start`` is the timecode of that one.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from innerbloom.core.declare.model import Id, Model, Name, json_text, published
from innerbloom.core.declare.revisions import DocumentKind, Plain
from innerbloom.core.declare.validation import validated
from innerbloom.core.errors import DocumentError
from innerbloom.core.sound.fades import FadeCurve
from innerbloom.core.timeline.clip_settings import DECLICK_S, Decibels, FadeSeconds
from innerbloom.core.timeline.stem_settings import StemModel, StemSettings
from innerbloom.core.timeline.timecode import (
    DROPPING,
    RateName,
    frames_a_day,
    seconds_of,
    timecode_of,
)

MOST_FRAMES = 60 * 3_600 * 4
MOST_LANES, MOST_CLIPS, MOST_SCENES = 24, 400, 500
Frame = Annotated[int, Field(ge=0, le=MOST_FRAMES)]


class Film(Model):
    """The picture that sounds are placed against.

    Attributes
    ----------
    digest : str
        SHA-256 of its file.
    frames : int
        At the timeline's rate.
    level : float
        At which its own sound is heard, in dB; it is in no stem.
    """

    digest: str = Field(pattern=r"^[0-9a-f]{64}$")
    name: str = Field(max_length=200)
    frames: Frame
    width: int = Field(ge=1, le=16_384)
    height: int = Field(ge=1, le=16_384)
    rate: RateName
    sound: bool = False
    level: Decibels = 0.0
    muted: bool = False


class Scene(Model):
    """A stretch of the picture up to the next scene: its name, and what the audience should feel."""

    id: Id
    name: Name
    start: Frame
    feel: str = Field(default="", max_length=1_000)


class LevelPoint(Model):
    """A point of a drawn level: seconds from where the clip begins, and dB."""

    at: float = Field(ge=0, le=86_400)
    db: Decibels


class Clip(Model):
    """A stretch of a sound, placed on a frame.

    Attributes
    ----------
    recording : str or None
        SHA-256 of a sound on the shelf.
    take : str or None
        Address of a take, or of one that it was played again to; one of both is given.
    offset : float
        Where in the sound it begins, in seconds.
    seconds : float
        How long it lasts.
    levels : list of LevelPoint
        Level drawn over the clip; linear in dB between its points.
    """

    id: Id
    name: Name
    recording: str | None = Field(default=None, pattern=r"^[0-9a-f]{64}$")
    take: str | None = Field(default=None, pattern=r"^[0-9a-f]{32}(/[0-9a-f]{32})?$")
    start: Frame
    offset: float = Field(default=0.0, ge=0, le=86_400)
    seconds: float = Field(gt=0, le=86_400)
    gain: Decibels = 0.0
    fade_in: FadeSeconds = DECLICK_S
    fade_out: FadeSeconds = DECLICK_S
    curve_in: FadeCurve = "equal power"
    curve_out: FadeCurve = "equal power"
    levels: list[LevelPoint] = Field(default=[], max_length=200)

    @property
    def source(self) -> str:
        """Address of its sound, by which two clips of one sound are told."""
        return self.recording or self.take or ""

    @model_validator(mode="after")
    def _one_source(self) -> Self:
        if (self.recording is None) == (self.take is None):
            raise ValueError("a clip plays one recording or one take")
        if any(b.at < a.at for a, b in zip(self.levels, self.levels[1:], strict=False)):
            raise ValueError("the points of a level are in the order of their times")
        return self


class Lane(Model):
    """Clips that leave as one stem."""

    id: Id
    name: Name
    gain: Decibels = 0.0
    muted: bool = False
    solo: bool = False
    clips: list[Clip] = Field(default=[], max_length=MOST_CLIPS)


class Timeline(Model):
    """All of it; see the module."""

    format: Literal["inner-bloom/timeline"] = "inner-bloom/timeline"
    version: Literal[1] = 1
    name: Name
    rate: RateName = "24"
    drop: bool = False
    start: int = Field(default=86_400, ge=0)
    frames: Annotated[int, Field(ge=1, le=MOST_FRAMES)] = 24 * 60
    film: Film | None = None
    scenes: list[Scene] = Field(default=[], max_length=MOST_SCENES)
    lanes: list[Lane] = Field(default=[], max_length=MOST_LANES)
    settings: StemModel = Field(default_factory=StemSettings)

    @property
    def seconds(self) -> float:
        """Length of the picture."""
        return seconds_of(self.frames, self.rate)

    def timecode(self, frame: int) -> str:
        """The timecode of a frame of the picture."""
        return timecode_of(self.start + frame, self.rate, self.drop)

    @model_validator(mode="after")
    def _sensible(self) -> Self:
        if self.drop and self.rate not in DROPPING:
            raise ValueError(f"no frames are dropped at {self.rate} a second")
        if self.start >= frames_a_day(self.rate, self.drop):
            raise ValueError("the timecode of its first frame is past midnight")
        ids = [one.id for one in self.scenes] + [one.id for one in self.lanes]
        ids += [clip.id for lane in self.lanes for clip in lane.clips]
        if len(set(ids)) != len(ids):
            raise ValueError("two of its parts have one id")
        starts = [one.start for one in self.scenes]
        if sorted(set(starts)) != starts:
            raise ValueError("scenes follow one another, each at a frame of its own")
        if starts and starts[-1] >= self.frames:
            raise ValueError("a scene begins past the end of the picture")
        return self


def parse_timeline(data: Any) -> Timeline:
    """Validate a document given as plain data or JSON text; raises a DocumentError."""
    data = json_text(data, "This is no timeline", DocumentError)
    return validated(Timeline, data, "timeline")


def timeline_schema() -> dict[str, Any]:
    """The published JSON Schema."""
    return published(Timeline, "Inner Bloom timeline")


def _summary(plain: Plain) -> Plain:
    film = plain["film"]
    clips = sum(len(lane["clips"]) for lane in plain["lanes"])
    return {"film": "" if film is None else film["digest"], "scenes": len(plain["scenes"]),
            "lanes": len(plain["lanes"]), "clips": clips}  # fmt: skip


KIND = DocumentKind("timeline", "timeline", Timeline, parse_timeline, summary=_summary)


def scene_at(timeline: Timeline, frame: int) -> Scene | None:
    """The scene that a frame lies in; None ahead of the first."""
    before = [one for one in timeline.scenes if one.start <= frame]
    return before[-1] if before else None


def scene_end(timeline: Timeline, scene: Scene) -> int:
    """The frame at which the next one begins, or the picture ends."""
    later = [one.start for one in timeline.scenes if one.start > scene.start]
    return min(later, default=timeline.frames)
