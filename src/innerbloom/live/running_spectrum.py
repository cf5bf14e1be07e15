"""The spectrum of what has just passed, in bands of equal width on an octave scale."""

from __future__ import annotations

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.dsp.rates import RATE
from innerbloom.core.process.stft import hann

BANDS = 72
LOWEST_HZ, HIGHEST_HZ = 30.0, 16_000.0
_WINDOW = 8_192
_FLOOR_DB = -96.0


def _edges() -> NDArray[np.intp]:
    """First bin of each band, and the end: spaced by octaves, a bin at least."""
    edges = np.geomspace(LOWEST_HZ, HIGHEST_HZ, BANDS + 1) * _WINDOW / RATE
    bins = np.ceil(edges).astype(np.intp)
    return np.asarray(np.maximum(bins, bins[0] + np.arange(BANDS + 1)))


class RunningSpectrum:
    """Takes in a stream, and gives the spectrum of its last 8,192 frames."""

    def __init__(self) -> None:
        self._ring, self._at = np.zeros((_WINDOW, 2), np.float32), 0
        self._edges = _edges()

    @property
    def sound(self) -> NDArray[np.float32]:
        """The last 8,192 frames, shape (8192, 2), the newest last."""
        return np.concatenate((self._ring[self._at :], self._ring[: self._at]))

    def take_in(self, piece: NDArray[np.float32]) -> None:
        """The next frames, shape (n, 2)."""
        piece = piece[-_WINDOW:]
        until_end = min(len(piece), _WINDOW - self._at)
        self._ring[self._at : self._at + until_end] = piece[:until_end]
        self._ring[: len(piece) - until_end] = piece[until_end:]
        self._at = (self._at + len(piece)) % _WINDOW

    def bands(self) -> list[int]:
        """Level of each band in dBFS, lowest band first, whole numbers."""
        mono = self.sound.mean(axis=1) * hann(_WINDOW)
        power = np.abs(scipy.fft.rfft(mono)) ** 2 * (8.0 / 3.0) * 2.0 / _WINDOW**2
        totals = np.add.reduceat(power, self._edges)[:BANDS]
        levels = 10.0 * np.log10(totals + 1e-12)
        return [int(one) for one in np.maximum(levels, _FLOOR_DB).round()]
