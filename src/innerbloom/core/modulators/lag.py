"""Lag: a movement, slowed."""

from __future__ import annotations

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.modulators.common import incoming, is_new_note, lag_share, place_of
from innerbloom.core.modulators.kind import ModulatorKind

# fmt: off
LAG: tuple[Declared, ...] = (
    incoming("a", "in"),
    P("rise", "rise", "Lag", "ms", 0, 60_000, 200, "Time constant of the way up.", "cubic"),
    P("fall", "fall", "Lag", "ms", 0, 60_000, 200, "Time constant of the way down.", "cubic"),
)
# fmt: on
_IN, _RISE, _FALL = (place_of(LAG, one) for one in ("a", "rise", "fall"))


@borrowing
def advance(modulator, state, row, now, drawn, heard, out):
    """See :class:`.ModulatorKind`."""
    at = modulator.at
    value = row[at + _IN]
    fresh = is_new_note(state, now.voice)
    share = 1.0 if fresh else lag_share(row[at + (_RISE if value > state.value else _FALL)])
    state.value += share * (value - state.value)
    out[0] = state.value


KIND = ModulatorKind("lag", "lag", LAG, advance, "A movement, slowed.", two_sided=True)
