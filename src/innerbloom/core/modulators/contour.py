"""Contour: takes its course from a recording, measured before."""

from __future__ import annotations

import numpy as np

from innerbloom.core.analysis.contour import CONTOUR_HOP
from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.rates import TICK
from innerbloom.core.modulators.common import ONCE, RESTART, STAYS, place_of, starts
from innerbloom.core.modulators.follower import FOLLOWER, follow
from innerbloom.core.modulators.kind import ModulatorKind

# fmt: off
CONTOUR: tuple[Declared, ...] = (
    *FOLLOWER,
    P("pace", "pace", "Pace", "oct", -6, 4, 0, "How much faster than the recording it runs."),
    RESTART,
    ONCE,
)
# fmt: on
_PACE, _RESTART, _ONCE = (place_of(CONTOUR, one) for one in ("pace", "restart", "once"))


@borrowing
def advance(modulator, state, row, now, drawn, heard, out):
    """A recording's course, as if it were heard from where the modulator begins.

    Its settings begin with those of a follower. See :class:`.ModulatorKind`.
    """
    at = modulator.at
    fresh = starts(state, now.voice, now.phrase, row[at + _RESTART])
    if fresh:
        state.phase = 0.0
    last = modulator.count - 1
    here = min(np.int64(state.phase), last)
    share = min(state.phase - here, 1.0)
    one = drawn.contours[modulator.first + here]
    other = drawn.contours[modulator.first + min(here + 1, last)]
    between = (
        one[0] + share * (other[0] - one[0]),
        one[1] + share * (other[1] - one[1]),
        one[2] + share * (other[2] - one[2]),
    )
    follow(state, row, at, between, fresh, out)
    state.phase += 2.0 ** row[at + _PACE] * (TICK / CONTOUR_HOP)
    if state.phase >= modulator.count:
        once = row[at + _ONCE] == STAYS
        state.phase = np.float64(last) if once else state.phase % modulator.count


KIND = ModulatorKind(
    "contour", "contour", CONTOUR, advance, "Takes its course from a recording.", needs="recording"
)
