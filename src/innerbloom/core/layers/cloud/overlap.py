"""How grains follow one another, and the gains that keep their sum at one level."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.analysis.evening import HOP_S, MOST_DB
from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.chance import waiting_time
from innerbloom.core.dsp.memory import samples_at
from innerbloom.core.dsp.rates import TICK
from innerbloom.core.layers.cloud.grain import Window, window_gain

_DUE = 0.6
"""Share of a grain's length within which the next one begins, where density is not sparse."""

_SPARSE, _DENSE = 1.0, 2.0
"""Mean overlap up to which pauses between grains are wanted, and from which there is none."""

_LEAST_POWER = 0.04
"""Power of all windows below which a dense cloud is not raised any further."""

_FOLLOWED = 0.4
"""Share by which one grain moves the coherence."""

_LEAST_EVENED = 10.0 ** (-0.1 * MOST_DB)


@borrowing
def gap(key, counter, even, overlap):
    """Time to the next grain in mean gaps, from random (``even`` 0) to even (1)."""
    longest = _longest_gap(overlap)
    even = max(even, 1.0 - (longest - 1.0) / 1.5)
    waiting = max(0.02, waiting_time(key, counter))
    return min(even + (1.0 - even) * waiting, longest)


@borrowing
def _longest_gap(overlap):
    """In mean gaps: the next grain is due before the last has faded, unless density is sparse."""
    if overlap <= _SPARSE:
        return 1e9
    due = max(_DUE * overlap, _DUE * _DENSE)
    return due / min(1.0, (overlap - _SPARSE) / (_DENSE - _SPARSE))


@borrowing
def overlap_gain(state, overlap):
    """Gain that brings the grains that overlap to the level of one, however many there are.

    Waves add by ``(1 - r) sum(w²) + r sum(w)²`` where r is how alike they are (M. Fink,
    M. Holters and U. Zölzer, "Signal-matched power-complementary cross-fading and dry-wet mixing",
    DAFx-16). A sparse cloud keeps the fades of its grains.
    """
    powers = total = 0.0
    for i in range(state.count):
        grain = state.grains[i]
        w = window_gain(Window(grain.age, grain.length, grain.rise, grain.fall))
        powers += w * w
        total += w
    least = min(1.0, max(_LEAST_POWER, overlap**-3.0))
    power = powers + max(state.coherence, 0.0) * (total * total - powers)
    return 1.0 / math.sqrt(max(power, least))


@borrowing
def follow(state, correlation):
    """Let the coherence follow how alike one more grain is."""
    share = _FOLLOWED if state.coherence >= 0.0 else 1.0
    state.coherence += share * (correlation - state.coherence)


@borrowing
def ramp(bus, state, gain):
    """Ramp one tick of the voice from the gain of the last tick to this one."""
    before = gain if state.gain < 0.0 else state.gain
    step = np.float32((gain - before) / TICK)
    level = np.float32(before)
    for i in range(TICK):
        level += step
        bus[2 * i] *= level
        bus[2 * i + 1] *= level


@borrowing
def evened(sound, s, start_s, span_s):
    """Gain of a grain over a stretch, towards the level of loud places."""
    if s.evenness <= 0.0 or sound.loud <= 0.0:
        return 1.0
    power = samples_at(sound.power, sound.hops)
    first = min(np.int64(start_s / HOP_S), sound.hops - 1)
    last = min(np.int64((start_s + span_s) / HOP_S), sound.hops - 1)
    total, weights = 0.0, 0.0
    for hop in range(first, last + 1):
        # what of the hop lies under a raised cosine, squared
        share = ((hop + 0.5) * HOP_S - start_s) / span_s
        weight = math.sin(math.pi * min(max(share, 0.05), 0.95)) ** 4
        total += weight * power[hop]
        weights += weight
    least = sound.loud * _LEAST_EVENED
    quieter = sound.loud / max(total / weights, least)
    return quieter ** (0.005 * s.evenness)
