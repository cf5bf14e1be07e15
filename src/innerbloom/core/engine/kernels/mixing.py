"""Adding a stream to another at gains that move straight through each tick."""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.rates import TICK


@borrowing
def add_ramped(out, audio, before, gains):
    """Add whole ticks of a stream to another.

    Parameters
    ----------
    out, audio : float32 arrays, shape (ticks * TICK, 2)
    before : float
        Gain at the end of the last tick.
    gains : float64 array, shape (ticks or more,)
        Gain at the end of each tick.
    """
    for tick in range(len(audio) // TICK):
        step = (gains[tick] - before) / TICK
        for i in range(TICK):
            gain = np.float32(before + step * (i + 1))
            at = tick * TICK + i
            out[at, 0] += audio[at, 0] * gain
            out[at, 1] += audio[at, 1] * gain
        before = gains[tick]


@borrowing
def add_groups(out, bus, ticks, before, gains):
    """Add both groups of a layer's voices to a stream; see :func:`add_ramped`.

    Parameters
    ----------
    bus : float32 array, shape (GROUPS, frames, 2)
    """
    for tick in range(ticks):
        step = (gains[tick] - before) / TICK
        for i in range(TICK):
            gain = np.float32(before + step * (i + 1))
            at = tick * TICK + i
            out[at, 0] += (bus[0, at, 0] + bus[1, at, 0]) * gain
            out[at, 1] += (bus[0, at, 1] + bus[1, at, 1]) * gain
        before = gains[tick]


@borrowing
def sounding_ticks(audio):
    """In which ticks of a stream, float32 of shape (ticks * TICK, 2), there is any sound.

    A bit each, the first tick's the lowest.
    """
    found = 0
    for tick in range(len(audio) // TICK):
        for i in range(tick * TICK, (tick + 1) * TICK):
            if audio[i, 0] != np.float32(0.0) or audio[i, 1] != np.float32(0.0):
                found |= 1 << tick
                break
    return found


@borrowing
def peak_of(audio):
    """Largest amplitude of a stream of shape (frames, 2)."""
    most = np.float32(0.0)
    for i in range(len(audio)):
        most = max(most, abs(audio[i, 0]), abs(audio[i, 1]))
    return most
