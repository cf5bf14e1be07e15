"""Drawn curves: breakpoints with bends, or free steps, as even tables.

A bend of a stretch is the family of the envelopes' slopes,
(1 - e^(-kx)) / (1 - e^(-k)) with k = 6 at 100 %.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

STEEPNESS = 6.0
"""Exponent of a slope at a bend of 100 %."""

TABLE_STEPS = 2048
"""Steps of a table; it holds one value more."""

Point = tuple[float, float, float]
"""Place 0..1, value, and the bend in % of the stretch that leads to the next point."""


def bent(x: NDArray[np.float64], bend: float) -> NDArray[np.float64]:
    """A rise from 0 to 1 over ``x`` in 0..1: straight at 0 %, fast at first above it."""
    k = STEEPNESS * bend * 0.01
    if abs(k) < 1e-4:
        return x
    made: NDArray[np.float64] = (1.0 - np.exp(-k * x)) / (1.0 - np.exp(-k))
    return made


def through(points: Sequence[Point]) -> NDArray[np.float64]:
    """A curve through breakpoints, shape (TABLE_STEPS + 1,).

    Before the first point and after the last one it stays level.

    Parameters
    ----------
    points : sequence of (place, value, bend)
        Places rise; two at one place make a step.
    """
    x = np.linspace(0.0, 1.0, TABLE_STEPS + 1)
    made = np.full(len(x), float(points[0][1]))
    for (start, value, bend), (end, after, _) in pairwise(points):
        later = x >= start
        share = np.clip((x[later] - start) / max(end - start, 1e-12), 0.0, 1.0)
        made[later] = value + (after - value) * bent(share, bend)
    made[x >= points[-1][0]] = points[-1][1]
    return made


def in_steps(values: Sequence[float]) -> NDArray[np.float64]:
    """A curve through evenly spaced values, straight between them, shape (TABLE_STEPS + 1,)."""
    at = np.linspace(0.0, 1.0, len(values))
    return np.interp(np.linspace(0.0, 1.0, TABLE_STEPS + 1), at, np.asarray(values, np.float64))
