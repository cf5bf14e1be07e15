"""A tick of convolution, while one response turns into another."""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.rates import TICK


@borrowing
def convolve_tick(out, history, before, after, share, to_share):
    """Filter the last tick of a history into ``out``.

    Parameters
    ----------
    out : float32 array, shape (TICK,)
        Filled.
    history : float32 array, shape (taps - 1 + TICK,)
        The signal, newest last.
    before, after : float32 arrays, shape (taps,)
        The responses that it turns from and into, last tap first.
    share, to_share : float
        Of the second one, at the beginning and the end of the tick.
    """
    begin, rise = np.float32(share), np.float32((to_share - share) / TICK)
    for i in range(TICK):
        one, other = np.float32(0.0), np.float32(0.0)
        # sums of products in a row are what compilers turn into vector code
        for k in range(len(before)):
            value = history[i + k]
            one += before[k] * value
            other += after[k] * value
        out[i] = one + (begin + rise * np.float32(i + 1)) * (other - one)
