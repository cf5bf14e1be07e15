"""How loud each place of a sound is, and the level of its loud places, for evening grains out.

Power is K-weighted (ITU-R BS.1770-4), so that what is brought to one level is heard so.
"""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from innerbloom.core.sound.levels import loudness_filters

HOP_S = 0.01
"""Time between two powers, in seconds."""

MOST_DB = 30.0
"""What is quieter than that against the loud places is not raised any further."""

_COVERED = 5


def weighted_power(samples: NDArray[np.float32], rate: float) -> NDArray[np.float64]:
    """K-weighted power of each hop of samples of shape (frames, channels), channels added."""
    step = max(1, round(HOP_S * rate))
    count = max(1, -(-len(samples) // step))
    padded = np.pad(samples, ((0, count * step - len(samples)), (0, 0)))
    weighted = scipy.signal.sosfilt(loudness_filters(rate), padded, axis=0)
    return np.asarray(np.square(weighted).sum(axis=1).reshape(count, step).mean(axis=1))


def loud_power(power: NDArray[np.float64]) -> float:
    """Power of the loud places: the mean of powers over 50 ms, each weighted by itself."""
    covered = np.maximum(uniform_filter1d(power, _COVERED, mode="constant"), 0.0)
    return float(np.sum(covered**2) / max(np.sum(covered), 1e-20))


def evened_db(power: NDArray[np.float64]) -> NDArray[np.float64]:
    """Level of each place against the loud ones once it is raised, in dB, 0 or below."""
    loud = max(loud_power(power), 1e-12)
    against = 10.0 * np.log10(np.maximum(power, 1e-12) / loud)
    return np.asarray(np.minimum(against + MOST_DB, 0.0))
