"""Splitting a sound into what is steady in frequency and the rest.

Median filtering of the spectrogram over time and over frequency (D. FitzGerald, "Harmonic/
percussive separation using median filtering", DAFx-10, 2010), with soft masks. The two parts
add up to the sound exactly.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter

from innerbloom.core.process.stft import OVERLAP, OverlapAdd, spectra_at
from innerbloom.core.process.warp import Warp

_TIME, _FREQUENCY = 17, 17
_AT_ONCE = 512
_LOBE = 2.0
"""Half of the main lobe of a Hann window, in bins."""


def window_for(rate: float, seconds: float) -> int:
    """A power of two near so many seconds."""
    return int(1 << max(6, round(np.log2(seconds * rate))))


def steady_part(
    samples: NDArray[np.float32], rate: float, warp: Warp | None = None
) -> NDArray[np.float32]:
    """The steady part of samples of shape (frames, channels); the rest is the difference.

    Parameters
    ----------
    warp : Warp, optional
        How the samples were warped: harmonics of its pitch then count as steady however short
        they are, as far as they stand out of what lies between them.
    """
    length = window_for(rate, 0.085)
    hop = length // OVERLAP
    count = len(samples) // hop + 2
    whole = OverlapAdd(len(samples), samples.shape[1], length, hop)
    for first in range(0, count, _AT_ONCE):
        last = min(count, first + _AT_ONCE)
        # neighbours in time, so that pieces join without a seam
        low, high = max(0, first - _TIME), min(count, last + _TIME)
        found = spectra_at(samples, np.arange(low, high) * hop, length)
        level = np.sqrt(np.sum(np.abs(found) ** 2, axis=2)).astype(np.float32)
        mask = _tonal_mask(level)
        if warp is not None:
            voiced = warp.voiced_at(np.arange(low, high) * float(hop)).astype(np.float32)
            harmonic = _harmonic_mask(level, warp.hz * length / rate)
            mask = np.maximum(mask, voiced[:, None] * harmonic)
        inside = slice(first - low, last - low)
        whole.add(first, found[inside] * mask[inside, :, None])
    return whole.result()


def _harmonic_mask(level: NDArray[np.float32], spacing: float) -> NDArray[np.float32]:
    """Share of each bin that belongs to harmonics so many bins apart, 0..1."""
    bins = np.arange(level.shape[1])
    order = np.maximum(np.round(bins / spacing), 1.0)
    away = np.abs(bins - order * spacing)
    lobe = np.clip(1.5 - away / min(_LOBE, 0.35 * spacing), 0.0, 1.0).astype(np.float32)
    # what lies between two harmonics is noise
    between = np.round((order - 0.5) * spacing).astype(int), np.round((order + 0.5) * spacing)
    low = level[:, np.clip(between[0], 0, len(bins) - 1)]
    high = level[:, np.clip(between[1].astype(int), 0, len(bins) - 1)]
    peak = level[:, np.clip(np.round(order * spacing).astype(int), 0, len(bins) - 1)]
    noise = 0.5 * (low + high)
    return np.asarray(lobe * peak**2 / (peak**2 + (2.0 * noise) ** 2 + 1e-20), np.float32)


def _tonal_mask(level: NDArray[np.float32]) -> NDArray[np.float32]:
    """Share of each bin that is steady, 0..1."""
    over_time = median_filter(level, (_TIME, 1), mode="nearest")
    over_frequency = median_filter(level, (1, _FREQUENCY), mode="nearest")
    # noise, which is alike in both, goes to the rest: it has to stand out by 6 dB
    return np.asarray(over_time**4 / (over_time**4 + (2.0 * over_frequency) ** 4 + 1e-20))
