"""Drive: saturation at twice the rate.

References
----------
.. [1] Half-band interpolation and decimation: R. E. Crochiere and L. R. Rabiner, *Multirate
   Digital Signal Processing*, Prentice-Hall 1983.
.. [2] The rational curve x (27 + x^2) / (27 + 9 x^2) is the Pade approximant of tanh, which
   reaches 1 at x = 3.
"""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.dsp.windowed_sinc import lowpass_taps

_TAPS = 16
"""Taps of the half-band filter that are not zero, beside the middle one."""

HISTORY = 2 * _TAPS
_HALF_BAND = lowpass_taps(4 * (_TAPS // 2) - 1, 0.5, 7.0)
SIDE = np.ascontiguousarray(_HALF_BAND[0::2], np.float32)
"""Even taps: with the middle one at a half they make the whole filter, 70 dB down from 29 kHz."""

_MIDDLE = len(SIDE) // 2
_FRAMES = np.uint64(TICK)
_DC_SHARE = np.float32(1.0 - math.exp(-2.0 * math.pi * 8.0 / RATE))
"""A corner at 8 Hz."""

_NO_OFFSET = np.float32(1e-7)

DRIVE = np.dtype(
    [
        # each with its history first, then the tick
        ("line", np.float32, (HISTORY + TICK,)),  # input
        ("odd", np.float32, (HISTORY + TICK,)),  # shaped samples at the odd places
        ("even", np.float32, (HISTORY + TICK,)),
        ("offset", np.float32),  # that leaning has made, taken off
    ],
    align=True,
)
"""What drive remembers of one channel."""


@borrowing
def _curve(x, hard):
    """From soft to hard saturation."""
    y = min(max(x, np.float32(-3.0)), np.float32(3.0))
    q = y * y
    soft = y * (np.float32(27.0) + q) / (np.float32(27.0) + np.float32(9.0) * q)
    flat = min(max(x, np.float32(-1.0)), np.float32(1.0))
    return soft + hard * (flat - soft)


@borrowing
def _shape_all(out, x, first, scale, shape):
    """A tick of ``x`` from ``first`` on through the curve, to ``out`` after its history.

    ``shape`` is gain into the curve, hardness, lean, what silence becomes, and gain after it.
    """
    gain, hard, lean, base, level = shape
    steep = scale * gain
    here, there = np.uint64(first), np.uint64(HISTORY)
    for i in range(_FRAMES):
        out[there + i] = (_curve(x[here + i] * steep + lean, hard) - base) * level


@borrowing
def _side_taps(out, line):
    """The half-band filter's taps beside the middle one, over a tick."""
    for i in range(TICK):
        total = np.float32(0.0)
        for t in range(len(SIDE)):
            total += SIDE[t] * line[HISTORY + i - t]
        out[i] = total


@borrowing
def _block_dc(x, stride, memory):
    """High-pass of the first order."""
    offset = memory.offset
    for i in range(TICK):
        offset += _DC_SHARE * (x[i * stride] - offset)
        x[i * stride] -= offset
    memory.offset = offset


@borrowing
def _keep(line):
    """The end of this tick becomes the history of the next."""
    for i in range(HISTORY):
        line[i] = line[TICK + i]


@borrowing
def drive(x, stride, memory, between, gain, hard, lean):
    """Saturate a tick of one channel in place, at twice the rate.

    Parameters
    ----------
    x : float32 array; every ``stride``-th sample from the first is one channel
    memory : DRIVE record
    between : float32 array, shape (TICK,)
        Scratch.
    gain : float
        Gain into the curve, above 0; a peak of 1 stays a peak of 1.
    hard : float
        0 for soft corners, 1 for hard ones.
    lean : float
        Offset into the curve, -1..1.
    """
    g, h, o = np.float32(gain), np.float32(hard), np.float32(lean)
    base = _curve(o, h)
    top = max(_curve(g + o, h) - base, base - _curve(o - g, h))
    level = np.float32(1.0) / top
    line, odd, even = memory.line, memory.odd, memory.even
    for i in range(TICK):
        line[HISTORY + i] = x[i * stride]
    two = np.float32(2.0)
    half = np.float32(0.5)
    _side_taps(between, line)
    # whole passes over the tick, so that each becomes vector code
    shape = (g, h, o, base, level)
    _shape_all(even, between, 0, two, shape)
    _shape_all(odd, line, HISTORY - _MIDDLE + 1, np.float32(1.0), shape)
    _side_taps(between, even)
    for i in range(TICK):
        x[i * stride] = between[i] + half * odd[HISTORY - _MIDDLE + i]
    if o != np.float32(0.0) or abs(memory.offset) > _NO_OFFSET:
        _block_dc(x, stride, memory)
    _keep(line)
    _keep(odd)
    _keep(even)
