"""Bitcrush: reduction of sample rate and bit depth."""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.rates import RATE, TICK

FINEST_BITS = 23.999
"""Bits from which on levels are left alone."""


@borrowing
def bitcrush(x, stride, held, phase, rate, bits):
    """Hold samples at a lower rate and round them; gives the new phase.

    ``held`` float32 (1,) is the sample that is held; ``phase`` counts periods of the lower rate,
    so that rates in between are exact.
    """
    step = rate / RATE
    levels = np.float32(2.0 ** (bits - 1.0))
    fine = bits >= FINEST_BITS
    for i in range(TICK):
        phase += step
        if phase >= 1.0:
            phase -= np.floor(phase)
            held[0] = x[i * stride]
        value = held[0]
        if not fine:
            value = np.float32(np.floor(value * levels + np.float32(0.5))) / levels
        x[i * stride] = value
    return phase
