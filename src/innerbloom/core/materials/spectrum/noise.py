"""Noise by bands, made once and brought to any levels."""

from __future__ import annotations

from functools import cache

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.materials.spectrum.bands import BANDS, PER_OCTAVE, band_hz, band_shares
from innerbloom.core.materials.spectrum.model import HOP, RATE, Floats, Spectrum

GRID = 64
"""Stretches of noise are so many frames long, or a multiple."""

_SHORTEST = 1024
_STEP = 5
_SEED = 20_311


def band_stretches() -> NDArray[np.int64]:
    """First frame and length of each band's noise, shape (BANDS, 2).

    Lengths differ, so that all of them together never repeat.
    """
    lengths = GRID * (_SHORTEST + _STEP * ((np.arange(BANDS) * 37) % BANDS))
    return np.stack((np.concatenate(([0], np.cumsum(lengths)[:-1])), lengths), axis=1)


@cache
def band_noise() -> Floats:
    """Noise of each band at an RMS of 1, one stretch after another, each without a seam."""
    random = np.random.default_rng(_SEED)
    pieces = [
        _noise_of(int(length), band, random) for band, (_, length) in enumerate(band_stretches())
    ]
    return np.concatenate(pieces)


def _noise_of(length: int, band: int, random: np.random.Generator) -> Floats:
    hz = scipy.fft.rfftfreq(length, 1.0 / RATE)
    low, high = band_hz()[band] * 2.0 ** (np.array([-1.05, 1.05]) / PER_OCTAVE)
    inside = np.flatnonzero((hz > low) & (hz < high))
    bins = np.zeros(len(hz), np.complex128)
    drawn = random.standard_normal(len(inside)) + 1j * random.standard_normal(len(inside))
    bins[inside] = np.sqrt(band_shares(hz[inside])[:, band]) * drawn
    noise = scipy.fft.irfft(bins, length)
    return np.asarray(noise / np.sqrt(np.mean(noise**2)), np.float32)


def noise_sound(spectrum: Spectrum) -> Floats:
    """The noise of a spectrum made anew, shape (frames,), at RATE."""
    frames = round(spectrum.seconds * RATE)
    out = np.zeros(frames, np.float32)
    at, moments = np.arange(frames) / HOP, np.arange(spectrum.moments)
    table = band_noise()
    for band, (first, length) in enumerate(band_stretches()):
        levels = spectrum.noise[:, band]
        if levels.any():
            noise = np.resize(table[first : first + length], frames)
            out += np.interp(at, moments, levels).astype(np.float32) * noise
    return out
