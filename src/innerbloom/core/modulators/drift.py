"""Drift: wanders at random, always drawn back to the middle."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.chance import uniform
from innerbloom.core.dsp.rates import TICK_MS
from innerbloom.core.modulators.common import RESTART, lag_share, place_of, starts
from innerbloom.core.modulators.kind import ModulatorKind

# fmt: off
DRIFT: tuple[Declared, ...] = (
    P("pull", "comes home in", "Drift", "ms", 20, 600_000, 4_000,
      "Time constant of the pull towards the middle.", "log"),
    P("reach", "reaches", "Drift", "%", 0, 100, 40, "Usual distance from the middle."),
    P("ease", "eased", "Drift", "ms", 0, 60_000, 400, "Smooths the walk.", "cubic"),
    RESTART,
)
# fmt: on
_PULL, _REACH, _EASE, _RESTART = (
    place_of(DRIFT, one) for one in ("pull", "reach", "ease", "restart")
)


@borrowing
def _normal(key, counter):
    """A normally distributed number (Box and Muller 1958)."""
    one = 1.0 - uniform(key, np.uint64(2 * counter))
    other = uniform(key, np.uint64(2 * counter + 1))
    return math.sqrt(-2.0 * math.log(one)) * math.cos(2.0 * math.pi * other)


@borrowing
def advance(modulator, state, row, now, drawn, heard, out):
    """An Ornstein-Uhlenbeck process, stepped exactly (D. T. Gillespie, Phys. Rev. E 54, 1996).

    See :class:`.ModulatorKind`.
    """
    at = modulator.at
    fresh = starts(state, now.voice, now.phrase, row[at + _RESTART])
    keep = 0.0 if fresh else math.exp(-TICK_MS / row[at + _PULL])
    spread = math.sqrt(1.0 - keep * keep)
    state.walk = keep * state.walk + spread * _normal(now.key, state.turns)
    state.turns += 1
    aim = 0.01 * row[at + _REACH] * state.walk
    share = 1.0 if fresh else lag_share(row[at + _EASE])
    state.value += share * (aim - state.value)
    out[0] = min(max(state.value, -1.0), 1.0)


KIND = ModulatorKind(
    "drift",
    "drift",
    DRIFT,
    advance,
    "Wanders at random, always drawn back to the middle.",
    two_sided=True,
)
