"""Sample and hold: takes a value whenever another rises past the middle."""

from __future__ import annotations

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Declared
from innerbloom.core.modulators.common import incoming, is_new_note, place_of
from innerbloom.core.modulators.kind import ModulatorKind

# fmt: off
SAMPLE: tuple[Declared, ...] = (
    incoming("a", "in"),
    incoming("trigger", "taken when this rises"),
)
# fmt: on
_IN, _TRIGGER = place_of(SAMPLE, "a"), place_of(SAMPLE, "trigger")


@borrowing
def advance(modulator, state, row, now, drawn, heard, out):
    """See :class:`.ModulatorKind`."""
    at = modulator.at
    trigger = row[at + _TRIGGER]
    if is_new_note(state, now.voice) or (trigger > 0.0 and state.from_value <= 0.0):
        state.value = row[at + _IN]
    state.from_value = trigger
    out[0] = state.value


KIND = ModulatorKind(
    "sample",
    "sample and hold",
    SAMPLE,
    advance,
    "Takes a value whenever another rises past the middle.",
    two_sided=True,
)
