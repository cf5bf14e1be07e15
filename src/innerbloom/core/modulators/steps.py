"""Step pattern: one value after another, each with a chance."""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.chance import uniform
from innerbloom.core.dsp.rates import TICK_S
from innerbloom.core.modulators.common import ONCE, RESTART, STAYS, clock, pace, place_of, starts
from innerbloom.core.modulators.kind import ModulatorKind

# fmt: off
STEPS: tuple[Declared, ...] = (
    *clock(4, 0.5, "Steps", "a step"),
    P("glide", "glide", "Steps", "%", 0, 100, 0, "Share of a step spent on the way to the next."),
    RESTART,
    ONCE,
)
# fmt: on
_GLIDE, _RESTART, _ONCE = (place_of(STEPS, one) for one in ("glide", "restart", "once"))


@borrowing
def advance(modulator, state, row, now, drawn, heard, out):
    """See :class:`.ModulatorKind`."""
    at, steps = modulator.at, drawn.steps
    if starts(state, now.voice, now.phrase, row[at + _RESTART]):
        state.phase = 0.0
        state.value = state.from_value = steps[modulator.first, 0]
    glide = 0.01 * row[at + _GLIDE]
    share = 1.0 if glide <= 0.0 else min(1.0, state.phase / glide)
    out[0] = state.from_value + share * (state.value - state.from_value)
    if row[at + _ONCE] == STAYS and state.turns >= modulator.count - 1:
        state.phase = 1.0
        return
    state.phase += pace(row, at, now) * TICK_S
    while state.phase >= 1.0 - 1e-10:
        state.phase = max(state.phase - 1.0, 0.0)
        state.turns += 1
        step = modulator.first + state.turns % modulator.count
        state.from_value = state.value
        if uniform(now.key, np.uint64(state.turns)) < steps[step, 1]:
            state.value = steps[step, 0]


KIND = ModulatorKind(
    "steps",
    "step pattern",
    STEPS,
    advance,
    "One value after another.",
    two_sided=True,
    needs="steps",
)
