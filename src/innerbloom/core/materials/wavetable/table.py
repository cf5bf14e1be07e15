"""A wavetable as its harmonics: frames of one period each, in the order they are swept."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.errors import BloomError

CYCLE = 2048
"""Samples of a frame."""

HARMONICS = CYCLE // 2 - 1
MOST_FRAMES = 256

Spectra = NDArray[np.complex128]


class TableError(BloomError):
    """A wavetable that cannot be made; says why in one sentence."""


@dataclass(frozen=True)
class Table:
    """Frames of a wavetable.

    Attributes
    ----------
    spectra : ndarray of complex, shape (frames, HARMONICS)
        Amplitude and phase of harmonics 1, 2, ...: a cosine of amplitude 1 is 1.
    seconds : ndarray, shape (frames,), or None
        Where in its recording each frame was taken; None where that means nothing.
    """

    spectra: Spectra
    seconds: NDArray[np.float64] | None = None

    def __post_init__(self) -> None:
        frames, harmonics = self.spectra.shape
        if harmonics != HARMONICS:
            raise ValueError(f"a frame has {HARMONICS} harmonics, not {harmonics}")
        if not 1 <= frames <= MOST_FRAMES:
            raise TableError(f"A wavetable has 1 to {MOST_FRAMES} frames, not {frames}.")

    def __len__(self) -> int:
        return len(self.spectra)

    def waves(self) -> NDArray[np.float64]:
        """The frames as samples, shape (frames, CYCLE)."""
        return waves_of(self.spectra, CYCLE)

    def taken(self, which: NDArray[np.intp]) -> Table:
        """Some frames, in any order, any of them more than once."""
        seconds = None if self.seconds is None else self.seconds[which]
        return Table(self.spectra[which], seconds)

    def with_spectra(self, spectra: Spectra) -> Table:
        """Other harmonics for the same frames."""
        return Table(spectra, self.seconds)

    def peak(self) -> float:
        """Highest sample of all frames."""
        return float(np.abs(self.waves()).max())


def waves_of(spectra: Spectra, size: int) -> NDArray[np.float64]:
    """One period of each row of harmonics, shape (rows, size); those beyond ``size`` left out."""
    held = min(spectra.shape[1], size // 2 - 1)
    bins = np.zeros((len(spectra), size // 2 + 1), np.complex128)
    bins[:, 1 : held + 1] = spectra[:, :held] * (size / 2)
    waves: NDArray[np.float64] = scipy.fft.irfft(bins, size, axis=1)
    return waves


def spectra_of(waves: NDArray[np.float64]) -> Spectra:
    """Harmonics of periods of any one length, shape (rows, HARMONICS); without DC."""
    size = waves.shape[1]
    bins = scipy.fft.rfft(waves, axis=1) / (size / 2)
    held = min(HARMONICS, (size - 1) // 2)
    spectra = np.zeros((len(waves), HARMONICS), np.complex128)
    spectra[:, :held] = bins[:, 1 : held + 1]
    return spectra


def rms_of(spectra: Spectra) -> NDArray[np.float64]:
    """Level of each row, as RMS."""
    return np.asarray(np.sqrt(0.5 * (np.abs(spectra) ** 2).sum(axis=1)))


def to_full_scale(table: Table) -> Table:
    """The whole table scaled so that its highest sample is 1; silence stays."""
    peak = table.peak()
    return table if peak < 1e-9 else table.with_spectra(table.spectra / peak)
