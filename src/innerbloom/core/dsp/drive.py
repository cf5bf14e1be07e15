"""Drive of a layer: saturation at twice the rate, or at four times with antiderivatives.

References
----------
.. [1] Half-band interpolation and decimation: R. E. Crochiere and L. R. Rabiner, *Multirate
   Digital Signal Processing*, Prentice-Hall 1983.
.. [2] The rational curve x (27 + x^2) / (27 + 9 x^2) is the Pade approximant of tanh, which
   reaches 1 at x = 3.
.. [3] At four times the rate: see :mod:`.rational_curve` and :mod:`.oversampling`.
"""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.oversampling import LINE, TIMES, downsample, upsample
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.dsp.rational_curve import shape_stretch
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
        ("line", np.float32, (LINE,)),  # input
        ("lines", np.float32, (TIMES, LINE)),  # shaped samples, every second or fourth each
        ("curve", np.float64, (3,)),  # what the antiderivatives remember
        ("offset", np.float32),  # that leaning has made, taken off
    ],
    align=True,
)
"""What drive remembers of one channel."""

assert LINE == HISTORY + TICK

DRIVE_SCRATCH = np.dtype(
    [
        ("row", np.float32, (TICK,)),
        ("rows", np.float32, (TIMES, TICK)),
        ("fine", np.float32, (TIMES * TICK,)),
        # see :func:`.shape_stretch`
        ("field", np.float64, (TIMES * TICK + 2,)),
        ("integral", np.float64, (TIMES * TICK + 2,)),
        ("average", np.float64, (TIMES * TICK + 2,)),
    ],
    align=True,
)
"""Room for a tick of one channel."""


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
def _block_dc(x, memory):
    """High-pass of the first order."""
    offset = memory.offset
    for i in range(TICK):
        offset += _DC_SHARE * (x[2 * i] - offset)
        x[2 * i] -= offset
    memory.offset = offset


@borrowing
def _keep(line):
    """The end of this tick becomes the history of the next."""
    for i in range(HISTORY):
        line[i] = line[TICK + i]


@borrowing
def _top(gain, hard, lean):
    """What the curve makes of silence, and the most that it makes of a peak of 1 beyond that."""
    base = _curve(lean, hard)
    return base, max(_curve(gain + lean, hard) - base, base - _curve(lean - gain, hard))


@borrowing
def drive_finely(x, memory, room, gain, hard, lean):
    """The same as :func:`drive`, at four times the rate and by second antiderivatives.

    It is late by 32 frames. Parameters are those of :func:`drive`.
    """
    upsample(room.fine, memory.line, room.rows, x)
    base, top = _top(np.float32(gain), np.float32(hard), np.float32(lean))
    level, field = np.float32(1.0) / top, room.field
    for i in range(TIMES * TICK):
        field[i + 2] = gain * np.float64(room.fine[i]) + lean
    shape_stretch(room.fine, room, memory.curve, hard)
    for i in range(TIMES * TICK):
        room.fine[i] = (room.fine[i] - base) * level
    downsample(x, memory.lines, room.row, room.fine)
    if lean != 0.0 or abs(memory.offset) > _NO_OFFSET:
        _block_dc(x, memory)


@borrowing
def drive(x, memory, room, gain, hard, lean):
    """Saturate a tick of one channel in place, at twice the rate.

    Parameters
    ----------
    x : float32 array; every other sample from the first is one channel
    memory : DRIVE record
    room : DRIVE_SCRATCH record
    gain : float
        Gain into the curve, above 0; a peak of 1 stays a peak of 1.
    hard : float
        0 for soft corners, 1 for hard ones.
    lean : float
        Offset into the curve, -1..1.
    """
    g, h, o = np.float32(gain), np.float32(hard), np.float32(lean)
    base, top = _top(g, h, o)
    level = np.float32(1.0) / top
    line, odd, even, between = memory.line, memory.lines[0], memory.lines[1], room.row
    for i in range(TICK):
        line[HISTORY + i] = x[2 * i]
    two = np.float32(2.0)
    half = np.float32(0.5)
    _side_taps(between, line)
    # whole passes over the tick, so that each becomes vector code
    shape = (g, h, o, base, level)
    _shape_all(even, between, 0, two, shape)
    _shape_all(odd, line, HISTORY - _MIDDLE + 1, np.float32(1.0), shape)
    _side_taps(between, even)
    for i in range(TICK):
        x[2 * i] = between[i] + half * odd[HISTORY - _MIDDLE + i]
    if o != np.float32(0.0) or abs(memory.offset) > _NO_OFFSET:
        _block_dc(x, memory)
    _keep(line)
    _keep(odd)
    _keep(even)
