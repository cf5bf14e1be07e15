"""Frequency shift and ring modulation."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Choice, Declared, option
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.analytic import SECTIONS, analytic, settle
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.effects.compiled import CompiledEffect, loudest_of
from innerbloom.core.effects.kind import EffectKind

# fmt: off
SHIFT: tuple[Declared, ...] = (
    Choice("does", "does", ("shift", "ring"), "shift",
           "Shift moves all frequencies by as many Hz; ring makes both sums and differences.",
           "Shift"),
    P("shift", "shift", "Shift", "Hz", -5_000, 5_000, 20,
      "By how much; in ring modulation, the frequency of the sine.", "cubic", sign=True),
    P("fine", "fine", "Shift", "Hz", -10, 10, 0, "Added to it.", sign=True),
    P("apart", "apart", "Shift", "%", 0, 100, 0,
      "Lets the right side go the other way: at 100, as far."),
    P("feedback", "feedback", "Output", "%", 0, 90, 0,
      "How much of what comes out goes in again, and is shifted again."),
    P("mix", "mix", "Output", "%", 0, 100, 100, "How much of the stream is shifted."),
)
# fmt: on

_RING = option(SHIFT, "does", "ring")


@borrowing
def _shift(x, before, values, memory):
    states, phases, back = memory
    for tick in range(len(values)):
        s = values[tick]
        last = before[0] if tick == 0 else values[tick - 1]
        for c in range(2):
            way = 1.0 - 0.02 * s.apart * c
            was_way = 1.0 - 0.02 * last.apart * c
            hz, to = was_way * (last.shift + last.fine), way * (s.shift + s.fine)
            phase, state = phases[c], states[c]
            for i in range(TICK):
                share, at = (i + 1.0) / TICK, 2 * (tick * TICK + i) + c
                phase += (hz + share * (to - hz)) / RATE
                dry = np.float64(x[at])
                feedback = 0.01 * (last.feedback + share * (s.feedback - last.feedback))
                straight, turned = analytic(dry + feedback * back[c], state)
                cos = math.cos(2.0 * math.pi * phase)
                if s.does == _RING:
                    wet = straight * cos
                else:
                    wet = straight * cos - turned * math.sin(2.0 * math.pi * phase)
                back[c] = wet
                mix = 0.01 * (last.mix + share * (s.mix - last.mix))
                x[at] = np.float32(dry + mix * (wet - dry))
            phases[c] = phase - math.floor(phase)
            settle(state)
    return loudest_of(x)


class Shift(CompiledEffect):
    """One side band, or both."""

    def __init__(self, made: object) -> None:
        memory = (np.zeros((2, 2 * SECTIONS + 1, 4)), np.zeros(2), np.zeros(2))
        super().__init__(_shift, memory, holds_s=0.1)


KIND = EffectKind(
    "shift",
    "Frequency shift",
    SHIFT,
    Shift,
    "Moves all frequencies by as many Hz, or rings.",
    "Movement",
    picture="partials",
)
