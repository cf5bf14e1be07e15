"""Phaser: notches that sway, from a chain of all-passes beside the stream.

References
----------
.. [1] J. O. Smith, "An allpass approach to digital phasing and flanging", ICMC 1984.
"""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.effects.compiled import CompiledEffect, loudest_of
from innerbloom.core.effects.kind import EffectKind

# fmt: off
PHASER: tuple[Declared, ...] = (
    P("stages", "stages", "Phaser", "", 2, 12, 6, "Two make a notch.", whole_number=True,
      movable=False),
    P("centre", "centre", "Phaser", "Hz", 40, 10_000, 700, "About which the notches sway.", "log"),
    P("depth", "depth", "Phaser", "oct", 0, 4, 1.5, "How far they sway."),
    P("rate", "rate", "Phaser", "Hz", 0.01, 10, 0.15, "How fast they sway.", "log"),
    P("apart", "apart", "Phaser", "%", 0, 100, 25, "How far the right side is behind the left."),
    P("feedback", "feedback", "Phaser", "%", -95, 95, 30, "Sharpens the peaks.", sign=True),
    P("mix", "mix", "Output", "%", 0, 100, 50, "How much of the stream is turned."),
)
# fmt: on

_STAGES = 12


@borrowing
def _coefficient(s, phase, c):
    """Of the all-passes of a side."""
    sway = math.sin(2.0 * math.pi * (phase - 0.005 * c * s.apart))
    hz = min(s.centre * 2.0 ** (s.depth * sway), 0.45 * RATE)
    g = math.tan(math.pi * hz / RATE)
    return (g - 1.0) / (g + 1.0)


@borrowing
def _phaser(x, before, values, memory):
    states, back, clock = memory
    for tick in range(len(values)):
        s = values[tick]
        last = before[0] if tick == 0 else values[tick - 1]
        ahead, stages = clock[0] + s.rate * TICK / RATE, np.int64(s.stages)
        for c in range(2):
            a, to = _coefficient(last, clock[0], c), _coefficient(s, ahead, c)
            step, state = (to - a) / TICK, states[c]
            for i in range(TICK):
                share, at = (i + 1.0) / TICK, 2 * (tick * TICK + i) + c
                a += step
                feedback = 0.01 * (last.feedback + share * (s.feedback - last.feedback))
                mix = 0.01 * (last.mix + share * (s.mix - last.mix))
                dry = np.float64(x[at])
                wet = dry + feedback * back[c]
                for stage in range(stages):
                    out = a * wet + state[stage]
                    state[stage] = wet - a * out
                    wet = out
                back[c] = wet
                x[at] = np.float32(dry + mix * (wet - dry))
            for stage in range(_STAGES):
                if abs(state[stage]) < 1e-15:
                    state[stage] = 0.0
        clock[0] = ahead - math.floor(ahead)
    return loudest_of(x)


class Phaser(CompiledEffect):
    """All-passes of first order, moved within each tick."""

    def __init__(self, made: object) -> None:
        memory = (np.zeros((2, _STAGES)), np.zeros(2), np.zeros(1))
        super().__init__(_phaser, memory, holds_s=0.05)


KIND = EffectKind(
    "phaser",
    "Phaser",
    PHASER,
    Phaser,
    "Notches that sway.",
    "Movement",
    picture="response",
)
