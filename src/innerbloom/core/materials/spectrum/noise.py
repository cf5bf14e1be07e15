"""Noise by bands, made once and brought to any levels."""

from __future__ import annotations

from functools import cache

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.materials.spectrum.bands import BANDS, PER_OCTAVE, band_hz, band_shares
from innerbloom.core.materials.spectrum.model import HOP, RATE, Floats, Spectrum

GRID = 64
"""Frames of each band that lie together."""

GROUP = 10
"""Bands whose noise lies side by side: read one by one they would each wait for memory."""

GROUPS = BANDS // GROUP
_LARGEST = 32_767
STEP = 6.0 / _LARGEST
"""What one step of the integers stands for: noise at an RMS of 1 goes no higher than six."""

_SHORTEST = 1024
_STEP = 61
_SEED = 20_311


def group_spans() -> NDArray[np.int64]:
    """First sample and length of each group's noise, in samples and in GRIDs, shape (GROUPS, 2).

    Lengths differ, so that all of them together repeat after hours.
    """
    lengths = _SHORTEST + _STEP * np.arange(GROUPS)
    ends = np.cumsum(lengths) * GROUP * GRID
    return np.stack((np.concatenate(([0], ends[:-1])), lengths), axis=1)


@cache
def band_noise() -> NDArray[np.int16]:
    """Noise of each band at an RMS of 1, without a seam, in STEPs of 16 bits.

    Whoever reads dozens of bands at places of their own waits for memory more than for anything
    else, and what rounding leaves lies 86 dB below each band. Of each group, GRID frames of its
    first band, of its second and so on, then the next GRID frames.
    """
    random = np.random.default_rng(_SEED)
    pieces = []
    for group, (_, length) in enumerate(group_spans()):
        bands = range(group * GROUP, (group + 1) * GROUP)
        each = [_noise_of(int(length) * GRID, band, random).reshape(-1, GRID) for band in bands]
        rounded = np.rint(np.stack(each, axis=1).ravel() / STEP)
        pieces.append(np.clip(rounded, -_LARGEST, _LARGEST).astype(np.int16))
    return np.concatenate(pieces)


def noise_of_band(band: int) -> Floats:
    """The noise of one band from its beginning to where it begins again."""
    begin, length = group_spans()[band // GROUP]
    group = band_noise()[begin : begin + length * GROUP * GRID].reshape(-1, GROUP, GRID)
    return np.asarray(group[:, band % GROUP].ravel() * STEP, np.float32)


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
    """The noise of a spectrum made anew, shape (frames,), at RATE: that of its mid."""
    return _sum_of_bands(spectrum.noise, round(spectrum.seconds * RATE))


def side_sound(spectrum: Spectrum) -> Floats:
    """What the side has of it, shape (frames,): partly the same noise, partly another."""
    frames = round(spectrum.seconds * RATE)
    if spectrum.side_noise is None:
        return np.zeros(frames, np.float32)
    alike, level = spectrum.side_noise.correlation, spectrum.side_noise.level
    unlike = np.sqrt(np.maximum(1.0 - alike**2, 0.0))
    return _sum_of_bands(level * alike, frames) + _sum_of_bands(level * unlike, frames, 0.5)


def _sum_of_bands(levels: Floats, frames: int, begun: float = 0.0) -> Floats:
    """Noise at levels of shape (moments, BANDS), from a share of its length on."""
    out = np.zeros(frames, np.float32)
    at, moments = np.arange(frames) / HOP, np.arange(len(levels))
    for band in range(BANDS):
        if levels[:, band].any():
            noise = noise_of_band(band)
            noise = np.resize(np.roll(noise, -round(begun * len(noise))), frames)
            out += np.interp(at, moments, levels[:, band]).astype(np.float32) * noise
    return out
