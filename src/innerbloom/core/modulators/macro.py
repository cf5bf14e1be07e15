"""Macro: one handle for many settings."""

from __future__ import annotations

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.modulators.common import place_of
from innerbloom.core.modulators.kind import ModulatorKind

MAX_MACROS = 16

# fmt: off
MACRO: tuple[Declared, ...] = (
    P("value", "setting", "Macro", "%", 0, 100, 0, "Where the handle stands."),
    P("other", "other setting", "Macro", "%", 0, 100, 0, "Where it stands at a morph of 100 %."),
)
# fmt: on
_VALUE, _OTHER = place_of(MACRO, "value"), place_of(MACRO, "other")


@borrowing
def advance(modulator, state, row, now, drawn, heard, out):
    """See :class:`.ModulatorKind`."""
    value = row[modulator.at + _VALUE]
    out[0] = 0.01 * (value + now.morph * (row[modulator.at + _OTHER] - value))


KIND = ModulatorKind(
    "macro",
    "macro",
    MACRO,
    advance,
    "One handle for many settings.",
    shared=True,
    steady=True,
    most=MAX_MACROS,
)
