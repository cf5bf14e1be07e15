"""What a sound is like, as a few numbers, so that like ones can be found.

Cepstral coefficients of the spectrum in mel bands (S. Davis and P. Mermelstein, IEEE Trans.
ASSP 28(4), 1980): their mean and spread over time, without the level.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.analysis.pitch import FRAME, RATE

_BANDS, _COEFFICIENTS = 28, 13
_LOUD_DB = 45.0
"""Frames further below the loudest do not count."""

SPREAD_WEIGHT = 0.5


@lru_cache(1)
def _mel_matrix() -> NDArray[np.float32]:
    """Triangles even in mel from 60 Hz to 7.6 kHz, shape (bins, bands)."""
    bins = np.arange(FRAME // 2 + 1) * RATE / FRAME
    low_mel, high_mel = (2595.0 * np.log10(1.0 + hz / 700.0) for hz in (60.0, 7_600.0))
    mel = np.linspace(low_mel, high_mel, _BANDS + 2)
    edges = 700.0 * (10.0 ** (mel / 2595.0) - 1.0)
    low, mid, high = edges[:-2], edges[1:-1], edges[2:]
    rise = (bins[:, None] - low) / (mid - low)
    fall = (high - bins[:, None]) / (high - mid)
    return np.asarray(np.clip(np.minimum(rise, fall), 0.0, None), np.float32)


def timbre(frames: NDArray[np.float32]) -> list[float]:
    """24 numbers for frames of shape (n, FRAME) at RATE; empty for silence.

    Twelve mean coefficients, then their spreads over time.
    """
    if not len(frames):
        return []
    power = np.abs(scipy.fft.rfft(frames * np.hanning(FRAME).astype(np.float32), axis=1)) ** 2
    level = 10.0 * np.log10(power.sum(axis=1) + 1e-12)
    loud = level > max(float(level.max()) - _LOUD_DB, -60.0)
    if not loud.any():
        return []
    bands = 10.0 * np.log10(power[loud] @ _mel_matrix() + 1e-9)
    bands = np.maximum(bands, bands.max() - 70.0)
    found = scipy.fft.dct(bands, axis=1, norm="ortho")[:, 1:_COEFFICIENTS]
    return [round(float(v), 3) for v in np.concatenate((found.mean(axis=0), found.std(axis=0)))]


def timbre_distances(one: list[float], others: list[list[float]]) -> NDArray[np.float64]:
    """How unlike each of several sounds is to one: 0 for the same, some tens for a bell and rain.

    Infinite where either has no timbre, as silence has none.
    """
    found = np.full(len(others), np.inf)
    known = [i for i, other in enumerate(others) if one and len(other) == len(one)]
    if known:
        half = len(one) // 2
        difference = np.array([others[i] for i in known]) - np.array(one)
        difference[:, half:] *= SPREAD_WEIGHT
        found[known] = np.sqrt(np.sum(difference**2, axis=1) / half)
    return found


def timbre_distance(one: list[float], other: list[float]) -> float:
    """How unlike two sounds are; see :func:`timbre_distances`."""
    return float(timbre_distances(one, [other])[0])
