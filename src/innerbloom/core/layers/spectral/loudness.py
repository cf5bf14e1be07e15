"""Loudness of a morph: it goes along the line between those of its sounds.

Powers say how loud a sound is only where sounds lie alike: one that goes from low to high at the
same power gains some 4 dB. They are weighted by what a meter hears (K-weighting of ITU-R BS.1770-4).
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing
from innerbloom.core.materials.spectrum.bands import BANDS, band_hz
from innerbloom.core.sound.levels import HIGH_PASS, SHELF

LOUDNESS_ROOM = [
    ("mixed_loudness", np.float64),  # logarithm of K-weighted power
]

QUIETEST = 1e-14
"""Power that counts as none."""

MOST_GAIN = 10.0 ** (40.0 / 10.0)
"""Most that partials or noise are raised, in power, to hold the level of a morph."""

_HIGH = 10.0 ** (SHELF.gain_db / 20.0)
_MIDDLE = (_HIGH**SHELF.middle / SHELF.q) ** 2


def _k_power(hz):
    """Power response of K-weighting at a frequency, by its analogue prototypes."""
    x, y = (hz / SHELF.hz) ** 2, (hz / HIGH_PASS.hz) ** 2
    shelf = ((1.0 - _HIGH * x) ** 2 + _MIDDLE * x) / ((1.0 - x) ** 2 + x / SHELF.q**2)
    return shelf * y * y / ((1.0 - y) ** 2 + y / HIGH_PASS.q**2)


k_power = borrowing(_k_power)
_OF_BANDS = np.array([_k_power(hz) for hz in band_hz()])


def power_of_bands(tonal: NDArray[np.float64], noise: NDArray[np.float64]) -> NDArray[np.float64]:
    """K-weighted power of squared peaks of partials and powers of noise, both in bands.

    Parameters
    ----------
    tonal, noise : ndarray, shape (moments, BANDS)

    Returns
    -------
    ndarray, shape (moments,)
    """
    return np.asarray((0.5 * tonal + noise) @ _OF_BANDS)


@borrowing
def loudness_in(room, weight):
    """Mix in the loudness of one sound, whose bands of partials and of noise are at hand."""
    power = 0.0
    for b in range(BANDS):
        power += _OF_BANDS[b] * (0.5 * room.tonal[b] + room.noise[b])
    room.mixed_loudness += weight * math.log(max(power, QUIETEST))


@borrowing
def hold_loudness(room, width, raised):
    """Bring partials and noise of a morph to the loudness that was mixed, times ``raised`` in power."""
    made = 0.0
    for b in range(BANDS):
        made += _OF_BANDS[b] * room.noise[b]
    for p in range(width):
        made += 0.5 * k_power(room.hz[p]) * room.power[p]
    gain = min(raised * math.exp(room.mixed_loudness) / max(made, QUIETEST), MOST_GAIN)
    for b in range(BANDS):
        room.noise[b] *= gain
    for p in range(width):
        room.power[p] *= gain
