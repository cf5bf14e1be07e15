"""Low-passes as windowed sincs, without a compiler and without a package that takes long to load."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def lowpass_taps(count: int, cutoff: float, beta: float) -> NDArray[np.float64]:
    """A low-pass by a window of Kaiser's, level at 0 Hz; as :func:`scipy.signal.firwin` makes it.

    All that sounds is compiled with filters like this, and every import measures by one, while
    SciPy's signal package takes a second to import.

    Parameters
    ----------
    count : int
        How many taps.
    cutoff : float
        Corner, 6 dB down, as a share of half the sample rate, 0..1.
    beta : float
        Of the window; 7 is about 70 dB, 9.6 about 95 dB down.
    """
    at = np.arange(count) - 0.5 * (count - 1)
    taps = np.sinc(cutoff * at) * np.kaiser(count, beta)
    made: NDArray[np.float64] = taps / taps.sum()
    return made
