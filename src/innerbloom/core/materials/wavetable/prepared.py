"""Waves of one period, band-limited for every pitch, and plain waves from their series.

A level holds the harmonics up to a number that falls by a third of an octave from level to
level; a reader picks the fullest level whose highest harmonic stays below the Nyquist
frequency. Levels are stored as cubic B-spline coefficients of at least sixteen samples a period
of their highest harmonic, so that the images of four-point reading lie 94 dB below it, see
:mod:`.material`.

References
----------
.. [1] Fourier series of saw and triangle: 2 / (pi k), and 8 / (pi k)**2 for odd k.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import spline_filter1d

from innerbloom.core.materials.clip import MIP_LEVEL
from innerbloom.core.materials.protocol import Locate, Materials, Request
from innerbloom.core.materials.wavetable.shape import from_cycles
from innerbloom.core.materials.wavetable.table import CYCLE, to_full_scale

MOST_HARMONICS = 1024
_PER_HARMONIC = 16
PER_OCTAVE = 3
LEVELS = 1 + PER_OCTAVE * 10
_GUARD_BEFORE, _GUARD_AFTER = 1, 2


@dataclass(frozen=True)
class Wavetable:
    """Frames of one period each, ready for the engine.

    Attributes
    ----------
    audio : ndarray of float32, shape (frames * stride,)
        All levels of the first frame, then of the second, and so on.
    mip_levels : ndarray of MIP_LEVEL, shape (LEVELS,)
        Where each level begins in a frame, and its samples.
    frames, stride : int
    """

    audio: NDArray[np.float32]
    mip_levels: NDArray[Any]
    frames: int
    stride: int

    @property
    def seconds(self) -> float:
        """A second, whatever its frames: it has no length of its own."""
        return 1.0

    def describe(self, record: Any) -> None:
        """Enter how it lies into a SOUND record."""
        record["seconds"] = self.seconds
        record["frames"], record["stride"] = self.frames, self.stride


def harmonics_of(level: int) -> int:
    """Highest harmonic that a level holds."""
    return int(MOST_HARMONICS / 2.0 ** (level / PER_OCTAVE) + 1e-9)


def _size(harmonics: int) -> int:
    return max(64, 1 << math.ceil(math.log2(_PER_HARMONIC * harmonics)))


def build_wavetable(spectra: NDArray[np.complex128]) -> Wavetable:
    """Lay out frames from their harmonics.

    Parameters
    ----------
    spectra : ndarray of complex, shape (frames, harmonics)
        Amplitude and phase of harmonics 1, 2, ...: a sine of amplitude 1 is -1j.
    """
    sizes = [_size(harmonics_of(level)) for level in range(LEVELS)]
    stride = sum(size + _GUARD_BEFORE + _GUARD_AFTER for size in sizes)
    audio = np.zeros((len(spectra), stride), np.float32)
    mip_levels = np.zeros(LEVELS, MIP_LEVEL)
    at = 0
    for level, size in enumerate(sizes):
        held = min(harmonics_of(level), spectra.shape[1])
        bins = np.zeros((len(spectra), size // 2 + 1), np.complex128)
        bins[:, 1 : held + 1] = spectra[:, :held] * (size / 2)
        waves = np.fft.irfft(bins, size, axis=1)
        waves = spline_filter1d(waves, order=3, axis=1, mode="grid-wrap")
        whole = size + _GUARD_BEFORE + _GUARD_AFTER
        audio[:, at : at + whole] = np.pad(
            waves, ((0, 0), (_GUARD_BEFORE, _GUARD_AFTER)), mode="wrap"
        )
        mip_levels[level] = (at + _GUARD_BEFORE, size, float(harmonics_of(level)))
        at += whole
    return Wavetable(audio.reshape(-1), mip_levels, len(spectra), stride)


def plain_wave(shape: str) -> Wavetable:
    """A sine, triangle or saw of amplitude 1; a pulse is two saws apart and reads the saw."""
    k = np.arange(1, MOST_HARMONICS + 1)
    if shape == "sine":
        amplitude = (k == 1).astype(float)
    elif shape == "triangle":
        amplitude = np.where(k % 2 == 1, 8.0 / (np.pi * k) ** 2, 0.0)
        amplitude = amplitude * np.where(k % 4 == 3, -1.0, 1.0)
    elif shape in ("saw", "pulse"):
        amplitude = 2.0 / (np.pi * k)
    else:
        raise ValueError(f"no plain wave is called '{shape}'")
    return build_wavetable((-1j * amplitude)[None, :])


def wavetable_from(samples: NDArray[np.float32], cycle: int | None) -> Wavetable:
    """A wavetable from consecutive cycles of a file, the whole brought to full scale.

    Parameters
    ----------
    samples : ndarray, shape (frames, channels)
        Channels are averaged; a last incomplete cycle is left out.
    cycle : int or None
        Frames of one cycle, 8 or more; None where the file is one cycle as a whole.

    Raises
    ------
    TableError
        If there is not one whole cycle, or there are more than may be.
    """
    return build_wavetable(to_full_scale(from_cycles([(samples, cycle)])).spectra)


plain_table = cache(plain_wave)
"""A plain wave, made once."""


@dataclass(frozen=True)
class WavetableRequest(Request[Wavetable]):
    """A plain wave, or the frames of a recording: ``cycle`` samples each."""

    shape: str
    cycle: int | None = None

    def make(self, locate: Locate, materials: Materials) -> Wavetable:
        if self.stretch is None:
            return plain_table(self.shape)
        samples, _ = self.read(locate)
        return wavetable_from(samples, self.cycle or CYCLE)
