"""The strongest partials of a sound, all of it together.

Frequencies are read between bins by a parabola through the log spectrum (J. O. Smith and X. Serra,
"PARSHL", ICMC 1987).
"""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray
from scipy.ndimage import median_filter

from innerbloom.core.analysis.pitch import parabola

_WINDOW = 16_384
_LOWEST_HZ, _HIGHEST_HZ = 30.0, 14_000.0
_ABOUT_BINS = 81
_ABOVE_DB = 9.0


def strongest_partials(mono: NDArray[np.float32], rate: float, count: int) -> NDArray[np.float64]:
    """Frequencies in Hz, rising, of up to so many peaks that stand out of their surroundings.

    Examples
    --------
    >>> strongest_partials(bell, 48_000, 3)
    array([ 221.4,  443.1,  530.8])
    """
    length = min(_WINDOW, len(mono))
    if length < 256:
        return np.zeros(0)
    hz, power = scipy.signal.welch(mono, rate, "hann", length, detrend=False, scaling="spectrum")
    level = 10.0 * np.log10(power + 1e-20)
    above = level - median_filter(level, _ABOUT_BINS, mode="nearest")
    peaks, _ = scipy.signal.find_peaks(
        np.where((hz >= _LOWEST_HZ) & (hz <= _HIGHEST_HZ), above, -1.0), _ABOVE_DB
    )
    chosen = np.sort(peaks[np.argsort(-level[peaks])][:count])
    return np.array([parabola(level, int(one))[0] * rate / length for one in chosen])
