"""The axes of the map that grains are chosen on: how far segments reach, and in what words."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.analysis.contour import (
    BRIGHTNESS_OCTAVES,
    LOWEST_BRIGHTNESS_HZ,
    LOWEST_PITCH_HZ,
    PITCH_OCTAVES,
)
from innerbloom.core.analysis.segments import QUIETEST_DB
from innerbloom.core.layers.cloud.parameters import DESCRIBED

_LEAST_ROOM = 0.04
_ROOM = 0.08


@dataclass(frozen=True)
class Axis:
    """One way to describe segments, as the axis of a map.

    Attributes
    ----------
    what : str
        One of DESCRIBED.
    low, high : float
        The part of the axis with segments and some room about it, in the units of the map, where
        0..1 is all that can be described.
    low_words, high_words : str
        What the ends are in real units.
    """

    what: str
    low: float
    high: float
    low_words: str
    high_words: str


def _decibels(share: float) -> str:
    return f"{round(QUIETEST_DB * (1.0 - share))} dB".replace("-", "\N{MINUS SIGN}")


def _hertz(lowest: float, octaves: float) -> Callable[[float], str]:
    return lambda share: f"{round(lowest * 2.0 ** (octaves * share))} Hz"


_pitch = _hertz(LOWEST_PITCH_HZ, PITCH_OCTAVES)
_WORDS: dict[str, Callable[[float], str]] = {
    "loudness": _decibels,
    "brightness": _hertz(LOWEST_BRIGHTNESS_HZ, BRIGHTNESS_OCTAVES),
    "pitch": lambda share: _pitch(share) if share > 0 else "no pitch",
    "noisiness": lambda share: f"{round(100 * share)} %",
    "flatness": _decibels,
}


def axes_of(points: NDArray[np.float64]) -> list[Axis]:
    """Axes for points of :func:`.segment_map`, shape (points, 2 + len(DESCRIBED))."""
    return [_axis(what, points[:, 2 + column]) for column, what in enumerate(DESCRIBED)]


def _axis(what: str, values: NDArray[np.float64]) -> Axis:
    if not len(values):
        return Axis(what, 0.0, 1.0, _WORDS[what](0.0), _WORDS[what](1.0))
    low, high = float(values.min()), float(values.max())
    room = max(_LEAST_ROOM, _ROOM * (high - low))
    low, high = low - room, high + room
    return Axis(what, low, high, _WORDS[what](max(0.0, low)), _WORDS[what](min(1.0, high)))
