"""Four times the rate and back, by linear-phase filters of 128 taps.

The two filters and the second-order antiderivatives of :mod:`.antiderivative` together are late by
32 frames exactly. Flat to 19 kHz within 0.1 dB; images and what folds back lie 95 dB down.

References
----------
.. [1] R. E. Crochiere and L. R. Rabiner, *Multirate Digital Signal Processing*, Prentice-Hall 1983.
"""

from __future__ import annotations

import numpy as np
from scipy.signal import firwin

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.rates import RATE, TICK

TIMES = 4
_TAPS = 128
PHASE_TAPS = _TAPS // TIMES
LATENCY = 32
"""Frames by which up, antiderivatives and down together are late."""

_FILTER = firwin(_TAPS, 24_000, window=("kaiser", 9.6), fs=TIMES * RATE)
UP = np.ascontiguousarray((TIMES * _FILTER).reshape(PHASE_TAPS, TIMES).T[:, ::-1], np.float32)
"""Taps of each phase, last one first, shape (TIMES, PHASE_TAPS)."""

DOWN = np.ascontiguousarray(_FILTER[::-1], np.float32)

UP_HISTORY, DOWN_HISTORY = PHASE_TAPS - 1, _TAPS - 1


@borrowing
def upsample(out, line, x, at, stride):
    """A tick of one channel at four times the rate.

    Parameters
    ----------
    out : float32 array, shape (TIMES * TICK,)
        Filled.
    line : float32 array, shape (UP_HISTORY + TICK,)
        What it remembers.
    x : float32 array; every ``stride``-th sample from ``at`` on is one channel
    """
    for i in range(UP_HISTORY):
        line[i] = line[TICK + i]
    for i in range(TICK):
        line[UP_HISTORY + i] = x[at + i * stride]
    for phase in range(TIMES):
        taps = UP[phase]
        for i in range(TICK):
            total = np.float32(0.0)
            for k in range(PHASE_TAPS):
                total += taps[k] * line[i + k]
            out[TIMES * i + phase] = total


@borrowing
def downsample(x, at, stride, line, fine):
    """A tick of one channel from four times the rate; what came before lies in ``line``.

    Parameters
    ----------
    x : float32 array
        Filled at every ``stride``-th sample from ``at`` on.
    line : float32 array, shape (DOWN_HISTORY + TIMES * TICK,)
    fine : float32 array, shape (TIMES * TICK,)
    """
    for i in range(DOWN_HISTORY):
        line[i] = line[TIMES * TICK + i]
    for i in range(TIMES * TICK):
        line[DOWN_HISTORY + i] = fine[i]
    for i in range(TICK):
        total = np.float32(0.0)
        for k in range(_TAPS):
            total += DOWN[k] * line[TIMES * i + k]
        x[at + i * stride] = total
