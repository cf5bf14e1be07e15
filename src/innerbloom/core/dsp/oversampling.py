"""Four times the rate and back, by linear-phase filters of 128 taps.

The two filters and the second-order antiderivatives of :mod:`.antiderivative` together are late by
32 frames exactly. Flat to 19 kHz within 0.1 dB; images and what folds back lie 95 dB down.

References
----------
.. [1] R. E. Crochiere and L. R. Rabiner, *Multirate Digital Signal Processing*, Prentice-Hall 1983.
"""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.fir import add_fir
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.dsp.windowed_sinc import lowpass_taps

TIMES = 4
_TAPS = 128
PHASE_TAPS = _TAPS // TIMES
LATENCY = 32
"""Frames by which up, antiderivatives and down together are late."""

_FILTER = lowpass_taps(_TAPS, 24_000 / (0.5 * TIMES * RATE), 9.6)
UP = np.ascontiguousarray((TIMES * _FILTER).reshape(PHASE_TAPS, TIMES).T[:, ::-1], np.float32)
"""Taps of each phase, last one first, shape (TIMES, PHASE_TAPS)."""

DOWN = np.ascontiguousarray(_FILTER[::-1].reshape(PHASE_TAPS, TIMES).T, np.float32)
"""Every fourth tap, last one first, shape (TIMES, PHASE_TAPS)."""

LINE = PHASE_TAPS + TICK
"""Samples at the lower rate that a filter looks at, a tick and what came before it."""

_BEFORE = PHASE_TAPS - 1


@borrowing
def upsample(out, line, rows, x):
    """A tick of one channel at four times the rate.

    Parameters
    ----------
    out : float32 array, shape (TIMES * TICK,)
        Filled.
    line : float32 array, shape (LINE,)
        What it remembers.
    rows : float32 array, shape (TIMES, TICK)
        Scratch.
    x : float32 array
        Every other sample is one channel.
    """
    for i in range(_BEFORE):
        line[i] = line[TICK + i]
    for i in range(TICK):
        line[_BEFORE + i] = x[2 * i]
    for phase in range(TIMES):
        row = rows[phase]
        for i in range(TICK):
            row[i] = np.float32(0.0)
        add_fir(row, line, UP[phase])
    for i in range(TICK):
        for phase in range(TIMES):
            out[TIMES * i + phase] = rows[phase, i]


@borrowing
def downsample(x, lines, row, fine):
    """A tick of one channel from four times the rate.

    Parameters
    ----------
    x : float32 array
        Filled at every other sample.
    lines : float32 array, shape (TIMES, LINE)
        What it remembers: every fourth sample each.
    row : float32 array, shape (TICK,)
        Scratch.
    fine : float32 array, shape (TIMES * TICK,)
    """
    for phase in range(TIMES):
        for i in range(PHASE_TAPS):
            lines[phase, i] = lines[phase, TICK + i]
    # the filter's middle lies between two samples, so the newest is one place on
    for i in range(TICK):
        lines[TIMES - 1, _BEFORE + i] = fine[TIMES * i]
        for phase in range(TIMES - 1):
            lines[phase, PHASE_TAPS + i] = fine[TIMES * i + phase + 1]
        row[i] = np.float32(0.0)
    for phase in range(TIMES):
        add_fir(row, lines[phase], DOWN[phase])
    for i in range(TICK):
        x[2 * i] = row[i]
