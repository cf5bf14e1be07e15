"""Random: a number that stays with the note."""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Choice, Declared, option
from innerbloom.core.dsp.chance import uniform
from innerbloom.core.modulators.common import PER_NOTE, place_of, starts
from innerbloom.core.modulators.kind import ModulatorKind

# fmt: off
RANDOM: tuple[Declared, ...] = (
    Choice("reach", "reaches", ("0 to 1", "-1 to 1"), "0 to 1", "One side or both.", "Chance"),
    Choice("spread", "spread", ("even", "bell"), "even",
           "Whether all values are as likely, or those in the middle more so.", "Chance"),
)
# fmt: on
_REACH, _SPREAD = place_of(RANDOM, "reach"), place_of(RANDOM, "spread")
_BOTH, _BELL = option(RANDOM, "reach", "-1 to 1"), option(RANDOM, "spread", "bell")


@borrowing
def advance(modulator, state, row, now, drawn, heard, out):
    """See :class:`.ModulatorKind`."""
    at, key = modulator.at, now.key
    if starts(state, now.voice, now.phrase, PER_NOTE):
        draw = uniform(key, np.uint64(0))
        if row[at + _SPREAD] == _BELL:
            draw = (draw + uniform(key, np.uint64(1)) + uniform(key, np.uint64(2))) / 3.0
        state.value = draw
    out[0] = 2.0 * state.value - 1.0 if row[at + _REACH] == _BOTH else state.value


KIND = ModulatorKind(
    "random",
    "random",
    RANDOM,
    advance,
    "A number that stays with the note.",
    two_sided=("reach", "-1 to 1"),
    steady=True,
)
