"""Noise as RMS amplitudes in bands of a sixth of an octave.

X. Serra and J. O. Smith, "Spectral modeling synthesis", Computer Music Journal 14(4), 1990:
what partials leave is described by its spectral envelope and made anew. Bands overlap as squared
cosines in log frequency, so that their powers add up to a flat whole.
"""

from __future__ import annotations

from functools import cache

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.materials.spectrum.model import HOP, RATE, Floats
from innerbloom.core.process.stft import frames_at, hann

PER_OCTAVE = 6
LOWEST_HZ = 22.0
BANDS = 60
"""From 22 Hz to 20 kHz."""

_LONG, _SHORT = 4096, 1024
"""Windows for bands that are narrower, and wider, than the spectra of short ones can tell."""

_LONG_BELOW_HZ = 700.0
_AT_ONCE = 512
_SHARPENING = 8
_MOST_MADE_UP = 2.0


def band_hz() -> NDArray[np.float64]:
    """Middle of each band, in Hz."""
    return LOWEST_HZ * 2.0 ** (np.arange(BANDS) / PER_OCTAVE)


def band_shares(hz: NDArray[np.float64]) -> NDArray[np.float64]:
    """Share of the power at each frequency that each band takes, shape (len(hz), BANDS)."""
    place = PER_OCTAVE * np.log2(np.maximum(hz, 1e-3) / LOWEST_HZ)
    far = np.abs(np.clip(place, 0.0, BANDS - 1.0)[:, None] - np.arange(BANDS)[None, :])
    shares = np.where(far < 1.0, np.cos(0.5 * np.pi * np.minimum(far, 1.0)) ** 2, 0.0)
    # nothing below the first or above the last band, but for a fade
    outside = np.maximum(np.maximum(-place, place - (BANDS - 1)), 0.0)
    fade = np.where(outside < 1.0, np.cos(0.5 * np.pi * np.minimum(outside, 1.0)) ** 2, 0.0)
    return np.asarray(shares * fade[:, None])


def band_levels(samples: Floats, moments: int) -> Floats:
    """RMS amplitude in each band around each moment, shape (moments, BANDS)."""
    power = np.zeros((moments, BANDS))
    low = np.flatnonzero(band_hz() < _LONG_BELOW_HZ)
    for length, bands in ((_LONG, low), (_SHORT, np.arange(len(low), BANDS))):
        matrix = _bins_to_bands(length)[:, bands].astype(np.float32)
        window = hann(length)
        scale = 2.0 / (length * float(np.dot(window, window)))
        for first in range(0, moments, _AT_ONCE):
            centres = np.arange(first, min(moments, first + _AT_ONCE)) * HOP
            spectra = scipy.fft.rfft(frames_at(samples, centres, length) * window, axis=1)
            gathered = (spectra.real**2 + spectra.imag**2) @ matrix
            power[first : first + len(centres), bands] = scale * gathered
    return np.asarray(np.sqrt(_sharpened(power)), np.float32)


def partial_levels(hz: Floats, level: Floats) -> Floats:
    """Levels of partials together in each band, shape (moments, BANDS).

    Powers are shared out between the two bands that a partial lies between.

    Parameters
    ----------
    hz, level : ndarray, shape (moments, partials)
        Frequencies and peak amplitudes.
    """
    place = PER_OCTAVE * np.log2(np.maximum(hz, LOWEST_HZ) / LOWEST_HZ)
    place = np.minimum(place, BANDS - 1.0)
    low = np.minimum(place.astype(np.int64), BANDS - 2)
    first = low + BANDS * np.arange(len(hz))[:, None]
    share, power = place - low, level.astype(np.float64) ** 2
    count = len(hz) * BANDS
    sums = np.bincount(first.ravel(), ((1.0 - share) * power).ravel(), count)
    sums += np.bincount(first.ravel() + 1, (share * power).ravel(), count)
    return np.asarray(np.sqrt(sums).reshape(len(hz), BANDS), np.float32)


def held_back(levels: Floats, beginnings: NDArray[np.float64]) -> Floats:
    """Levels that stay as they were until the sound begins, where windows let it through before.

    Each band keeps its power: what came too early comes with the rest.

    Parameters
    ----------
    levels : ndarray, shape (moments, BANDS)
        Of :func:`band_levels`.
    beginnings : ndarray
        Sharp ones, in seconds.
    """
    held = levels.copy()
    long = band_hz() < _LONG_BELOW_HZ
    for at in beginnings[beginnings > 0.0]:
        last = int(np.ceil(at * RATE / HOP))
        for length, bands in ((_LONG, long), (_SHORT, ~long)):
            before = last - length // (2 * HOP) - 1
            earlier = levels[before, bands] if before >= 0 else np.float32(0.0)
            rows = held[max(0, before + 1) : last + 1]
            rows[:, bands] = np.minimum(rows[:, bands], earlier)
    whole, kept = (np.sum(one.astype(np.float64) ** 2, axis=0) for one in (levels, held))
    gain = np.sqrt(whole / np.maximum(kept, 1e-20))
    return np.asarray(held * np.clip(gain, 1.0, _MOST_MADE_UP), np.float32)


def _sharpened(power: NDArray[np.float64]) -> NDArray[np.float64]:
    """Powers of bands that, made into noise and measured again, give these.

    Overlapping bands blur edges twice, once on the way in and once on the way out. Each step
    scales what it has by what is missing, so that nothing falls below zero (W. H. Richardson,
    "Bayesian-based iterative method of image restoration", JOSA 62(1), 1972).
    """
    measured_again = _overlap()
    made = power
    for _ in range(_SHARPENING):
        ratio = power / np.maximum(made @ measured_again.T, 1e-30)
        made = made * (ratio @ measured_again)
    return made


@cache
def _overlap() -> NDArray[np.float64]:
    """How much of the noise of each band (columns) is measured in each band (rows)."""
    hz = np.geomspace(LOWEST_HZ / 1.3, 1.3 * LOWEST_HZ * 2.0 ** (BANDS / PER_OCTAVE), 6_000)
    shares = band_shares(hz) * hz[:, None] ** 0.5
    total = np.sum(band_shares(hz) * hz[:, None], axis=0)
    return np.asarray(shares.T @ shares / total)


def _bins_to_bands(length: int) -> NDArray[np.float64]:
    """Weights of the power of each bin in each band.

    Each bin stands for a stretch of frequencies, which narrow bands share out among them.
    """
    parts = 16
    width = RATE / length
    offsets = (np.arange(parts) + 0.5) / parts - 0.5
    fine = (np.arange(length // 2 + 1)[:, None] + offsets[None, :]) * width
    shares = band_shares(fine.ravel()).reshape(*fine.shape, BANDS)
    return np.asarray(shares.mean(axis=1))
