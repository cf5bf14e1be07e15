"""Saturation at twice the rate, and reduction of sample rate and bit depth.

References
----------
.. [1] Half-band interpolation and decimation: R. E. Crochiere and L. R. Rabiner, *Multirate
   Digital Signal Processing*, Prentice-Hall 1983.
.. [2] The rational curve x (27 + x^2) / (27 + 9 x^2) is the Pade approximant of tanh, which
   reaches 1 at x = 3.
"""

from __future__ import annotations

import numpy as np
from scipy.signal import firwin

from innerbloom.core.compiling import kernel
from innerbloom.core.engine.kernels.reading import RATE
from innerbloom.core.engine.state import TICK

_TAPS = 16
"""Taps of the half-band filter that are not zero, beside the middle one."""

HISTORY = 2 * _TAPS
_HALF_BAND = firwin(4 * (_TAPS // 2) - 1, 0.5, window=("kaiser", 7.0))
SIDE = np.ascontiguousarray(_HALF_BAND[0::2], np.float32)
"""Even taps: with the middle one at a half they make the whole filter, 70 dB down from 29 kHz."""

_MIDDLE = len(SIDE) // 2

GRIT = np.dtype(
    [
        ("up", np.float32, (HISTORY,)),  # input before this tick
        ("odd", np.float32, (HISTORY,)),  # shaped samples at the odd places
        ("even", np.float32, (HISTORY,)),
        ("held", np.float32),  # the sample that reduction holds
    ],
    align=True,
)
"""What grit remembers of one channel."""


@kernel
def _curve(x, hard):
    """From soft to hard saturation."""
    y = min(max(x, np.float32(-3.0)), np.float32(3.0))
    q = y * y
    soft = y * (np.float32(27.0) + q) / (np.float32(27.0) + np.float32(9.0) * q)
    flat = min(max(x, np.float32(-1.0)), np.float32(1.0))
    return soft + hard * (flat - soft)


@kernel
def _shape(x, gain, hard, lean, base, level):
    return (_curve(x * gain + lean, hard) - base) * level


@kernel
def _side_taps(out, line, start):
    """The half-band filter's taps beside the middle one, over a tick."""
    for i in range(TICK):
        out[i] = start
    for t in range(len(SIDE)):
        tap = SIDE[t]
        for i in range(TICK):
            out[i] += tap * line[HISTORY + i - t]


@kernel
def saturate(x, stride, memory, scratch, gain, hard, lean):
    """Saturate a tick of one channel in place, at twice the rate.

    Parameters
    ----------
    x : float32 array; every ``stride``-th sample from the first is one channel
    memory : GRIT record
    scratch : float32 array, shape (4, HISTORY + TICK)
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
    line, odd, even = scratch[0], scratch[1], scratch[2]
    line[:HISTORY] = memory.up
    odd[:HISTORY] = memory.odd
    even[:HISTORY] = memory.even
    for i in range(TICK):
        line[HISTORY + i] = x[i * stride]
    _side_taps(scratch[3], line, np.float32(0.0))
    two = np.float32(2.0)
    # whole passes over the tick, so that each becomes vector code
    for i in range(TICK):
        even[HISTORY + i] = _shape(two * scratch[3, i], g, h, o, base, level)
    for i in range(TICK):
        odd[HISTORY + i] = _shape(line[HISTORY + i - _MIDDLE + 1], g, h, o, base, level)
    _side_taps(scratch[3], even, np.float32(0.0))
    half = np.float32(0.5)
    for i in range(TICK):
        x[i * stride] = scratch[3, i] + half * odd[HISTORY + i - _MIDDLE]
    memory.up[:] = line[TICK:]
    memory.odd[:] = odd[TICK:]
    memory.even[:] = even[TICK:]


@kernel
def reduce(x, stride, memory, phase, rate, bits):
    """Hold samples at a lower rate and round them; gives the new phase.

    ``phase`` counts periods of the lower rate, so that rates in between are exact.
    """
    step = rate / RATE
    levels = np.float32(2.0 ** (bits - 1.0))
    fine = bits >= 23.999
    for i in range(TICK):
        phase += step
        if phase >= 1.0:
            phase -= np.floor(phase)
            memory.held = x[i * stride]
        value = memory.held
        if not fine:
            value = np.float32(np.floor(value * levels + np.float32(0.5))) / levels
        x[i * stride] = value
    return phase
