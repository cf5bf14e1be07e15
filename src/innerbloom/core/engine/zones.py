"""Which of a layer's sounds a note picks, and how loud the layer is for it.

Crossfades at borders are of equal power: the gains of two neighbours are the square roots
of their shares. Round robin and chance without immediate repeat are common practice.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.instrument.catalogue import LAYER_KINDS
from innerbloom.core.instrument.document import Layer


@dataclass(frozen=True)
class Zones:
    """What picking needs to know of a layer.

    Attributes
    ----------
    choose : str
        One of the words of the choice of that name.
    blended : bool
        Whether neighbours crossfade.
    keys, velocities : ndarray, shape (sounds, 2)
        Inclusive ranges of each sound, in MIDI numbers.
    weights : ndarray, shape (sounds,)
    range_keys, range_velocities : tuple
        Lowest, highest and fade of the layer as a whole.
    """

    choose: str
    blended: bool
    keys: NDArray[np.float64]
    velocities: NDArray[np.float64]
    weights: NDArray[np.float64]
    range_keys: tuple[float, float, float]
    range_velocities: tuple[float, float, float]


def zones_of(layer: Layer, entries: list[Any]) -> Zones:
    """What picking needs to know of a layer, from its settings and those of its sounds."""
    s: Any = layer.settings
    many = LAYER_KINDS[layer.kind].sounds == "many"
    return Zones(
        s.choose if many else "range",
        many and s.borders == "crossfaded",
        np.array([(e.key_low, e.key_high) for e in entries], float),
        np.array([(e.velocity_low, e.velocity_high) for e in entries], float),
        np.array([e.weight for e in entries], float),
        (s.key_low, s.key_high, s.key_fade),
        (s.velocity_low, s.velocity_high, s.velocity_fade),
    )


def layer_gain(zones: Zones, key: float, velocity: float) -> float:
    """Gain of a layer for a key and a velocity in 0..1; 0 outside its ranges."""
    heard = _inside(round(key), *zones.range_keys)
    return heard * _inside(round(velocity * 127), *zones.range_velocities)


def _inside(value: float, low: float, high: float, fade: float) -> float:
    if not low <= value <= high:
        return 0.0
    gain = 1.0
    if fade > 0 and low > 0:
        gain *= min(1.0, (value - low + 1) / (fade + 1))
    if fade > 0 and high < 127:
        gain *= min(1.0, (high - value + 1) / (fade + 1))
    return math.sqrt(gain)


class Chooser:
    """Picks for one layer, note after note."""

    def __init__(self, zones: Zones) -> None:
        self.zones = zones
        self._last = -1

    def pick(self, key: float, velocity: float, draw: float) -> tuple[int, int, float]:
        """The first sound, the second, and the second's share, for one note.

        Parameters
        ----------
        key : float
            Note number.
        velocity, draw : float
            0..1; ``draw`` is the note's chance.
        """
        if len(self.zones.keys) == 1:
            # it answers wherever it is
            self._last = self._last if self.zones.choose == "range" else 0
            return 0, 0, 0.0
        fitting = self._fitting(round(key), round(velocity * 127))
        if self.zones.choose == "range":
            return self._by_range(fitting, key, velocity * 127)
        if self.zones.choose == "control" or len(fitting) == 1:
            self._last = int(fitting[0])
        elif self.zones.choose == "in turn":
            later = fitting[fitting > self._last]
            self._last = int(later[0] if len(later) else fitting[0])
        else:
            self._last = self._drawn(fitting, draw)
        return self._last, self._last, 0.0

    def _fitting(self, key: float, velocity: float) -> NDArray[np.intp]:
        p = self.zones
        inside = (p.keys[:, 0] <= key) & (key <= p.keys[:, 1])
        inside &= (p.velocities[:, 0] <= velocity) & (velocity <= p.velocities[:, 1])
        if not inside.any():
            # between ranges the nearest sound answers: a silent key is never wanted
            away = _distance(p.keys, key) + _distance(p.velocities, velocity)
            inside = away == away.min()
        return np.flatnonzero(inside)

    def _by_range(
        self, fitting: NDArray[np.intp], key: float, velocity: float
    ) -> tuple[int, int, float]:
        first = int(fitting[0])
        if not self.zones.blended or len(fitting) < 2:
            return first, first, 0.0
        second = int(fitting[1])
        share = _overlap(self.zones.keys, first, second, key)
        if share is None:
            share = _overlap(self.zones.velocities, first, second, velocity)
        return (first, first, 0.0) if share is None else (first, second, share)

    def _drawn(self, fitting: NDArray[np.intp], draw: float) -> int:
        others = fitting[fitting != self._last] if self.zones.weights[fitting].size > 1 else fitting
        weights = self.zones.weights[others]
        if not weights.any():
            return int(fitting[0])
        place = np.searchsorted(np.cumsum(weights) / weights.sum(), draw, side="right")
        return int(others[min(int(place), len(others) - 1)])


def _distance(ranges: NDArray[np.float64], value: float) -> NDArray[np.float64]:
    below, above = ranges[:, 0] - value, value - ranges[:, 1]
    return np.maximum(np.maximum(below, above), 0.0)


def _overlap(ranges: NDArray[np.float64], one: int, two: int, value: float) -> float | None:
    """How far a value is through the overlap of two ranges; None where they are the same."""
    if (ranges[one] == ranges[two]).all():
        return None
    low, high = max(ranges[one, 0], ranges[two, 0]), min(ranges[one, 1], ranges[two, 1])
    share = (value - low + 0.5) / max(high - low + 1.0, 1.0)
    rising = ranges[two, 0] + ranges[two, 1] > ranges[one, 0] + ranges[one, 1]
    return float(min(1.0, max(0.0, share if rising else 1.0 - share)))
