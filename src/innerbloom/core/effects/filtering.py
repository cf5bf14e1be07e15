"""Filter: the layers' own, for a whole stream."""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Choice, Declared, option
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.filter import COEFFICIENTS, run_section, section_q, set_section
from innerbloom.core.dsp.memory import copy_into
from innerbloom.core.dsp.rates import TICK
from innerbloom.core.effects.compiled import CompiledEffect, loudest_of
from innerbloom.core.effects.kind import EffectKind

# fmt: off
FILTER: tuple[Declared, ...] = (
    Choice("slope", "slope", ("12 dB", "24 dB"), "12 dB", "Steepness in dB an octave.", "Filter"),
    P("cutoff", "cutoff", "Filter", "Hz", 20, 20_000, 2_400, "Corner of the filter.", "log"),
    P("blend", "filter shape", "Filter", "", 0, 3, 0,
      "From low-pass through band-pass and high-pass to notch, without a step.",
      marks=((0, "low"), (1, "band"), (2, "high"), (3, "notch"))),
    P("resonance", "resonance", "Filter", "%", 0, 100, 0, "How much the corner rings."),
    P("mix", "mix", "Output", "%", 0, 100, 100, "How much of the stream is filtered."),
)
# fmt: on

_STEEP = option(FILTER, "slope", "24 dB")


@borrowing
def _filter(x, before, values, memory):
    states, coefficients, news, dry = memory
    for tick in range(len(values)):
        s = values[tick]
        last = before[0] if tick == 0 else values[tick - 1]
        at = 2 * tick * TICK
        for i in range(2 * TICK):
            dry[i] = x[at + i]
        steep = 1 if s.slope == _STEEP else 0
        for section in range(1 + steep):
            old, new = coefficients[section], news[0]
            set_section(new, s.cutoff, section_q(steep, section, s.resonance), s.blend)
            if old[0] == 0.0:
                copy_into(old, new)
            run_section(x, at, 2, old, new, states[section])
            copy_into(old, new)
        mix = np.float32(0.01 * last.mix)
        step = np.float32(0.01 * (s.mix - last.mix) / TICK)
        for i in range(TICK):
            mix += step
            x[at + 2 * i] = dry[2 * i] + mix * (x[at + 2 * i] - dry[2 * i])
            x[at + 2 * i + 1] = dry[2 * i + 1] + mix * (x[at + 2 * i + 1] - dry[2 * i + 1])
    return loudest_of(x)


class Filter(CompiledEffect):
    """One or two sections."""

    def __init__(self, made: object) -> None:
        memory = (
            np.zeros((2, 2, 2)),
            np.zeros((2, COEFFICIENTS)),
            np.zeros((1, COEFFICIENTS)),
            np.zeros(2 * TICK, np.float32),
        )
        super().__init__(_filter, memory, holds_s=0.02)


KIND = EffectKind(
    "filter",
    "Filter",
    FILTER,
    Filter,
    "Low, band, high or notch, and resonance.",
    picture="response",
)
