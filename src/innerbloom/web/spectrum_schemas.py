"""What the Bench sends and gets about spectra, as pydantic models."""

from __future__ import annotations

from pydantic import BaseModel, Field

from innerbloom.core.declare.parameters import Choice, Parameter
from innerbloom.core.declare.sound import Sound
from innerbloom.core.instrument.catalogue import MAX_SOUNDS
from innerbloom.core.layers.cloud.axes import Axis
from innerbloom.core.layers.spectral.parameters import MOST_ON_PATH
from innerbloom.web.schemas import _In


class NewSpectrum(_In):
    """The spectrum of a recording, put on the shelf."""

    recording: int
    name: str = Field(default="", max_length=120)


class KeepSpectrum(_In):
    name: str = Field(min_length=1, max_length=120)


class SpectrumMade(BaseModel):
    """A spectrum at hand, and what is known of it.

    Attributes
    ----------
    parts : dict
        Names under which its parts are heard: together, partials, strikes, noise.
    window_ms, tonal : float
        What partials were looked at through, and their share of the power.
    """

    key: str
    parts: dict[str, str]
    seconds: float
    window_ms: float
    tonal: float
    partials: int
    at_once: int
    strikes: int


class SpectrumAnswer(BaseModel):
    """A spectrum at hand, or the job that makes it."""

    made: SpectrumMade | None
    job: str | None


class TrackOut(BaseModel):
    """One partial: when it is born, seconds between its points, and its course."""

    at: float
    step: float
    hz: list[float]
    db: list[float]


class SpectrumPicture(BaseModel):
    tracks: list[TrackOut]
    strikes: list[tuple[float, float]]


class SpectrumWords(BaseModel):
    settings: list[Parameter | Choice]


class MorphAsked(_In):
    """A way through sounds, and where on it one stands."""

    sounds: list[Sound] = Field(min_length=1, max_length=MOST_ON_PATH)
    place: float = Field(ge=0, le=1, description="Where in each sound.")
    morph: float = Field(default=0.0, ge=0, le=1)
    amount: float = Field(default=1.0, ge=0, le=1)
    matching: str = Field(default="by itself", max_length=20)


class SegmentsAsked(_In):
    sounds: list[Sound] = Field(min_length=1, max_length=MAX_SOUNDS)


class SegmentsOut(BaseModel):
    """Segments of a layer's sounds as points on a map.

    Attributes
    ----------
    axes : list of Axis
        What the columns after the second are, how far they reach, and in what words.
    hop_s : float
        Seconds from one segment of a sound to the next.
    seconds : list of float
        How long each sound is.
    points : list of list of float
        The number of the sound, the place in it in seconds, and what describes it, each 0..1.
    """

    axes: list[Axis]
    hop_s: float
    seconds: list[float]
    points: list[list[float]]


class MorphPicture(BaseModel):
    """Outlines in dB at ``hz``: of every sound on the way, and of what lies between.

    ``ready`` is false while spectra are still being taken; ``matching`` says how partials find each
    other.
    """

    ready: bool
    hz: list[float]
    sounds: list[list[float]]
    between: list[float]
    shares: list[float]
    matching: str
