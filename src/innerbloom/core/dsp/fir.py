"""Filters with a finite impulse response, over a whole stretch at a time."""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing


@borrowing
def add_fir(out, line, taps):
    """Add what a filter makes of a stretch.

    Parameters
    ----------
    out : float32 array, shape (frames,)
        Added to.
    line : float32 array, shape (len(taps) - 1 + frames,) or longer
        The stretch, with what came before it ahead of it.
    taps : float32 array
        Last one first; a multiple of four of them.
    """
    # tap by tap over the whole stretch, which becomes vector code
    for k in range(0, len(taps), 4):
        a, b, c, d = taps[k], taps[k + 1], taps[k + 2], taps[k + 3]
        for i in range(len(out)):
            at = np.uint64(i + k)
            out[i] += (
                a * line[at]
                + b * line[at + np.uint64(1)]
                + c * line[at + np.uint64(2)]
                + d * line[at + np.uint64(3)]
            )
