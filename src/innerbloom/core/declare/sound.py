"""Which stretch of which recording something in an instrument plays or follows."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import AfterValidator, Field, StringConstraints

from innerbloom.core.declare.model import Model
from innerbloom.core.declare.spectrum_settings import Analysis

MAX_STRETCH_S = 180.0
"""Longest stretch of a recording that one layer holds in memory, in seconds."""


def stretch_around(duration_s: float, at_s: float = 0.0) -> tuple[float, float | None]:
    """Start and length in seconds of what is loaded of a recording: all of it, or what lies
    around a moment. A length of None reaches to the end."""
    if duration_s <= MAX_STRETCH_S:
        return 0.0, None
    start = min(max(0.0, at_s - MAX_STRETCH_S / 2), duration_s - MAX_STRETCH_S)
    return round(start, 3), MAX_STRETCH_S


Digest = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]


def _stays_inside(path: str) -> str:
    parts = path.replace("\\", "/").split("/")
    if path.startswith(("/", "\\")) or ".." in parts or ":" in path or not path.isprintable():
        raise ValueError("the path must be relative and stay beside the document")
    return path


RelativePath = Annotated[
    str, StringConstraints(min_length=1, max_length=240), AfterValidator(_stays_inside)
]


class Sound(Model):
    """Which recording a layer plays, and how it is read.

    Attributes
    ----------
    recording : str or None
        SHA-256 of the original file, as the shelf knows it.
    path : str or None
        Where the audio lies relative to the document, for files and bundles.
    start, length : float
        The stretch that is loaded, in seconds; ``length`` None reaches to the end, or
        to :data:`MAX_STRETCH_S`.
    root : float or None
        MIDI note number, with a fraction, at which the sound plays untransposed;
        None for a sound without a clear pitch, which then plays so at C4 (60).
    gain_db : float
        Level trim of this recording, in dB.
    cycle : int or None
        Frames of each cycle where the sound is read as a wavetable.
    analysis : Analysis or None
        How it is taken apart where its spectrum is played; None is as suits most sounds.
    name : str
        What the sound is called where a layer lists several.
    """

    recording: Digest | None = None
    path: RelativePath | None = None
    start: float = Field(default=0.0, ge=0, le=1e6)
    length: float | None = Field(default=None, gt=0.01, le=MAX_STRETCH_S)
    cycle: int | None = Field(default=None, ge=16, le=16_384)
    root: float | None = Field(default=None, ge=0, le=135)
    analysis: Analysis | None = None
    name: Annotated[str, StringConstraints(max_length=120)] = ""
    gain_db: float = Field(default=0.0, ge=-60, le=60)


def recordings_in(document: dict[str, Any]) -> list[str]:
    """Hashes of all recordings that a complete document, as plain data, plays; each once."""
    found: dict[str, None] = {}
    waiting: list[Any] = [document]
    while waiting:
        part = waiting.pop()
        if isinstance(part, dict):
            if part.get("recording"):
                found[part["recording"]] = None
            waiting += part.values()
        elif isinstance(part, list):
            waiting += part
    return list(found)
