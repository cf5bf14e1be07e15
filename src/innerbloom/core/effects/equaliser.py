"""Equaliser: eight bands, each a bell, a shelf, a cut or a notch."""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Choice, Declared, option
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.filter import COEFFICIENTS, run_section, set_section
from innerbloom.core.dsp.matched import set_bell, set_shelf
from innerbloom.core.dsp.memory import copy_into
from innerbloom.core.dsp.rates import TICK
from innerbloom.core.effects.compiled import CompiledEffect, loudest_of, number_of
from innerbloom.core.effects.kind import EffectKind

BANDS = 8
SHAPES = ("off", "low cut", "low shelf", "bell", "notch", "high shelf", "high cut")
_FIRST = (
    ("low cut", 30.0), ("low shelf", 120.0), ("bell", 400.0), ("bell", 2_500.0),
    ("high shelf", 8_000.0), ("off", 200.0), ("off", 1_000.0), ("off", 5_000.0),
)  # fmt: skip
_GAINED = ("low shelf", "bell", "high shelf")
_SOUNDING = SHAPES[1:]


def _band(number: int, shape: str, hz: float) -> tuple[Declared, ...]:
    group, own = f"Band {number}", f"shape_{number}"
    return (
        Choice(own, "shape", SHAPES, shape, "What the band does.", group),
        P(f"hz_{number}", f"frequency {number}", group, "Hz", 20, 20_000, hz,
          "Centre of a bell or notch; corner of a cut; where a shelf has half its gain.", "log",
          when=(own, _SOUNDING)),
        P(f"gain_{number}", f"gain {number}", group, "dB", -24, 24, 0, "At its centre or beyond.",
          sign=True, when=(own, _GAINED)),
        P(f"q_{number}", f"sharpness {number}", group, "", 0.3, 12, 0.71,
          "Q: centre over bandwidth.", "log", when=(own, _SOUNDING)),
    )  # fmt: skip


EQUALISER: tuple[Declared, ...] = tuple(
    one for number, (shape, hz) in enumerate(_FIRST, 1) for one in _band(number, shape, hz)
)
_EACH = len(EQUALISER) // BANDS
_AT = number_of(EQUALISER, "shape_1")
_OFF, _LOW_CUT, _LOW_SHELF, _BELL, _NOTCH, _HIGH_SHELF, _HIGH_CUT = (
    option(EQUALISER, "shape_1", one) for one in SHAPES
)
_LOW_PASS, _HIGH_PASS, _STOP = 0.0, 2.0, 3.0
"""Filter shapes of :func:`.set_section`."""


@borrowing
def set_band(out, shape, hz, gain_db, q):
    """Coefficients of a band by its shape, a place among SHAPES."""
    if shape == _OFF:
        set_bell(out, hz, 0.0, q)
    elif shape == _BELL:
        set_bell(out, hz, gain_db, q)
    elif shape in (_LOW_SHELF, _HIGH_SHELF):
        set_shelf(out, hz, gain_db, q, shape == _HIGH_SHELF)
    else:
        blend = _STOP
        if shape == _LOW_CUT:
            blend = _HIGH_PASS
        elif shape == _HIGH_CUT:
            blend = _LOW_PASS
        set_section(out, hz, q, blend)


@borrowing
def _at_rest(row, last, at):
    """Whether a band is set as it was."""
    return (
        row[at] == last[at]
        and row[at + 1] == last[at + 1]
        and row[at + 2] == last[at + 2]
        and row[at + 3] == last[at + 3]
    )


@borrowing
def _passes(row, at):
    """Whether a band leaves everything as it is."""
    shape = row[at]
    gained = shape in (_BELL, _LOW_SHELF, _HIGH_SHELF)
    return shape == _OFF or (gained and row[at + 2] == 0.0)


@borrowing
def _equalise(x, before, values, memory):
    states, coefficients, news = memory
    for tick in range(len(values)):
        last = before[0] if tick == 0 else values[tick - 1]
        row = values[tick]
        for band in range(BANDS):
            at = _AT + _EACH * band
            still = _at_rest(row, last, at)
            if still and _passes(row, at):
                states[band, :, :] = 0.0
                coefficients[band, :] = 0.0
                continue
            old, new = coefficients[band], news[0]
            # a structure of zeros is one that has not begun
            if not still or old[0] == 0.0:
                set_band(new, row[at], row[at + 1], row[at + 2], row[at + 3])
            else:
                copy_into(new, old)
            if old[0] == 0.0:
                set_band(old, last[at], last[at + 1], last[at + 2], last[at + 3])
            run_section(x, 2 * tick * TICK, 2, old, new, states[band])
            copy_into(old, new)
    return loudest_of(x)


class Equaliser(CompiledEffect):
    """Eight sections one after another, their coefficients moved within each tick."""

    by_number = True

    def __init__(self, made: object) -> None:
        memory = (
            np.zeros((BANDS, 2, 2)),
            np.zeros((BANDS, COEFFICIENTS)),
            np.zeros((1, COEFFICIENTS)),
        )
        super().__init__(_equalise, memory)


KIND = EffectKind(
    "equaliser",
    "Equaliser",
    EQUALISER,
    Equaliser,
    "Eight bands, each a bell, a shelf, a cut or a notch.",
    picture="response",
)
