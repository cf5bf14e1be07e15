"""Takes in files: a header, events as lines of JSON, and the sound beside them.

A take being recorded is a folder of ``take.json``, ``events.jsonl`` and ``sound.wav``; one that
travels is a zip of the same with the sound as FLAC (see :mod:`innerbloom.core.deliver.take_file`).
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from datetime import UTC, datetime
from typing import Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from innerbloom.core.declare.validation import validated
from innerbloom.core.errors import PerformanceError
from innerbloom.core.performance.take import EventWriter, Plain, Take, read_events

HEADER, EVENTS, SOUND = "take.json", "events.jsonl", "sound.wav"
VERSION = 1


class Backing(BaseModel):
    """What was played along to: a recording, or another take.

    Attributes
    ----------
    recording : str or None
        Its hash.
    take : str or None
        Its folder.
    at : float
        Where in it the take begins, in seconds.
    gain : float
        In dB.
    """

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    recording: str | None = Field(default=None, pattern=r"^[0-9a-f]{64}$")
    take: str | None = Field(default=None, pattern=r"^[0-9a-f]{32}$")
    name: str = Field(default="", max_length=120)
    at: float = Field(default=0.0, ge=0, le=86_400)
    gain: float = Field(default=-6.0, ge=-60, le=12)

    @model_validator(mode="after")
    def _is_one(self) -> Self:
        if (self.recording is None) == (self.take is None):
            raise ValueError("a backing is a recording or a take")
        return self

    @property
    def sound(self) -> str:
        """What tells it from any other sound: takes over the same are passes."""
        return self.recording or self.take or ""


class TakeHeader(BaseModel):
    """All of a take but its events and its sound.

    Attributes
    ----------
    instrument : int or None
        Its number in the project, as the take began.
    name : str
        The instrument's name.
    frames : int or None
        Length of the sound; None while it is recorded, or where that was cut short.
    origin : str
        ``recorded``; ``kept`` of what was just played; ``changed`` hands of another take, played
        again; ``comp`` of several.
    sha256 : str
        Of the sound's samples as float32, little endian, interleaved, ahead of the limiter; empty
        where that is not known.
    lost : int
        Lines of the events that could not be read.
    """

    model_config = ConfigDict(extra="ignore", allow_inf_nan=False)

    format: Literal["inner-bloom/take"] = "inner-bloom/take"
    version: int = VERSION
    name: str = Field(default="", max_length=120)
    instrument: int | None = None
    began: datetime = Field(default_factory=lambda: datetime.now(UTC))
    tempo: float = Field(default=120.0, ge=1, le=999)
    rate: Literal[48_000] = 48_000
    document: Plain
    moved: list[tuple[str, str, float]] = []
    serial: int = Field(default=0, ge=0)
    lead_in: int = Field(default=0, ge=0)
    frames: int | None = Field(default=None, ge=0)
    exact: bool = True
    origin: Literal["recorded", "kept", "changed", "comp"] = "recorded"
    backing: Backing | None = None
    sha256: str = ""
    lost: int = 0


def header_of(take: Take, **more: Any) -> TakeHeader:
    """The header of a take; ``more`` says what the take itself does not know."""
    return TakeHeader(
        document=take.document, moved=list(take.moved), serial=take.serial, lead_in=take.lead_in,
        frames=take.frames, exact=take.exact, **more,
    )  # fmt: skip


def parse_header(text: str) -> TakeHeader:
    """Read a header.

    Raises
    ------
    PerformanceError
        One sentence on what is wrong.
    """
    try:
        plain = json.loads(text)
        version = plain.get("version", 0) if isinstance(plain, dict) else 0
        if isinstance(version, int) and version > VERSION:
            raise PerformanceError("This take was made by a newer version: update to open it.")
    except ValueError as error:
        raise PerformanceError("The take cannot be read: its header is damaged.") from error
    return validated(TakeHeader, plain, "take", PerformanceError)


def read_take(header: TakeHeader, lines: Iterable[str], frames: int) -> tuple[Take, int]:
    """A take from its header, the lines of its events and the frames of its sound.

    Gives the take and how many lines could not be read.
    """
    events, lost = read_events(lines, header.document)
    take = Take(
        document=header.document, moved=tuple(header.moved),
        events=tuple(one for one in events if one.time <= header.lead_in + frames),
        lead_in=header.lead_in, frames=frames, serial=header.serial,
        exact=header.exact and not lost,
    )  # fmt: skip
    return take, lost


def lines_of(take: Take) -> list[str]:
    """The events of a take as lines of JSON."""
    writer = EventWriter(take.document)
    return [writer.line(event) for event in take.events]
