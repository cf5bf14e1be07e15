"""Levels: a movement in even steps."""

from __future__ import annotations

import math

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.modulators.common import incoming, place_of
from innerbloom.core.modulators.kind import ModulatorKind

# fmt: off
QUANTISE: tuple[Declared, ...] = (
    incoming("a", "in"),
    P("levels", "levels", "Levels", "", 2, 64, 5, "How many levels from -1 to 1.",
      whole_number=True),
)
# fmt: on
_IN, _LEVELS = place_of(QUANTISE, "a"), place_of(QUANTISE, "levels")


@borrowing
def advance(modulator, state, row, now, drawn, heard, out):
    """See :class:`.ModulatorKind`."""
    gaps = row[modulator.at + _LEVELS] - 1.0
    value = row[modulator.at + _IN]
    out[0] = math.floor((value + 1.0) * 0.5 * gaps + 0.5) / gaps * 2.0 - 1.0


KIND = ModulatorKind(
    "quantise", "levels", QUANTISE, advance, "A movement in even steps.", two_sided=True
)
