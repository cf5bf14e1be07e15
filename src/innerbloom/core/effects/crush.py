"""Bitcrush: fewer samples, and fewer steps of level."""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.bitcrush import bitcrush
from innerbloom.core.dsp.rates import TICK
from innerbloom.core.effects.compiled import CompiledEffect, loudest_of
from innerbloom.core.effects.kind import EffectKind

# fmt: off
BITCRUSH: tuple[Declared, ...] = (
    P("rate", "sample rate", "Bitcrush", "Hz", 200, 48_000, 12_000,
      "Holds samples at a lower rate; 48 kHz leaves the sound alone.", "log"),
    P("bits", "bits", "Bitcrush", "", 1, 24, 24, "Steps of level; 24 leaves the sound alone."),
    P("mix", "mix", "Output", "%", 0, 100, 100, "How much of the stream is worked on."),
)
# fmt: on


@borrowing
def _crush(x, before, values, memory):
    held, phases, dry = memory
    for tick in range(len(values)):
        s = values[tick]
        last = before[0] if tick == 0 else values[tick - 1]
        at, phase = 2 * tick * TICK, phases[0]
        for i in range(2 * TICK):
            dry[i] = x[at + i]
        for c in range(2):
            phases[0] = bitcrush(x[at + c :], 2, held[c], phase, s.rate, s.bits)
        mix, step = 0.01 * last.mix, 0.01 * (s.mix - last.mix) / TICK
        for i in range(2 * TICK):
            share = np.float32(mix + step * (i // 2 + 1))
            x[at + i] = dry[i] + share * (x[at + i] - dry[i])
    return loudest_of(x)


class Bitcrush(CompiledEffect):
    """Holds and rounds."""

    def __init__(self, made: object) -> None:
        memory = (np.zeros((2, 1), np.float32), np.zeros(1), np.zeros(2 * TICK, np.float32))
        super().__init__(_crush, memory, holds_s=0.01)


KIND = EffectKind(
    "bitcrush",
    "Bitcrush",
    BITCRUSH,
    Bitcrush,
    "Fewer samples, and fewer steps of level.",
    "Grit",
    picture="shape",
)
