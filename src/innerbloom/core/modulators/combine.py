"""Combination: two movements made into one."""

from __future__ import annotations

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Choice, Declared, option
from innerbloom.core.modulators.common import incoming, place_of
from innerbloom.core.modulators.kind import ModulatorKind

# fmt: off
COMBINE: tuple[Declared, ...] = (
    Choice("how", "gives", ("sum", "product", "least", "greatest"), "sum",
           "What is made of the two.", "In"),
    incoming("a", "one"),
    incoming("b", "other"),
)
# fmt: on
_HOW, _A, _B = (place_of(COMBINE, one) for one in ("how", "a", "b"))
_SUM, _PRODUCT, _LEAST = (option(COMBINE, "how", one) for one in ("sum", "product", "least"))


@borrowing
def advance(modulator, state, row, now, drawn, heard, out):
    """See :class:`.ModulatorKind`."""
    at = modulator.at
    one, other, how = row[at + _A], row[at + _B], row[at + _HOW]
    if how == _SUM:
        value = one + other
    elif how == _PRODUCT:
        value = one * other
    elif how == _LEAST:
        value = min(one, other)
    else:
        value = max(one, other)
    out[0] = min(max(value, -1.0), 1.0)


KIND = ModulatorKind(
    "combine", "combination", COMBINE, advance, "Two movements made into one.", two_sided=True
)
