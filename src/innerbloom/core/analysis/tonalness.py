"""How tonal a sound is, from its spectra.

Spectral flatness as a tonality coefficient (J. D. Johnston, "Transform coding of audio
signals using perceptual noise criteria", IEEE JSAC 6(2), 1988), taken in bands of a third
of an octave so that a coloured noise does not count as tonal.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.analysis.pitch import FRAME, RATE

_NOISE_DB, _TONE_DB = -4.0, -22.0
"""Flatness of a band of noise under a Hann window, and of a band with one steady tone."""


TONAL, NOISY = 0.66, 0.33
"""Tonalness from which a sound is called tonal, and up to which it is called noisy."""

Character = Literal["tonal", "partly tonal", "noisy"]


def character(tonalness: float) -> Character:
    """A word for a tonalness of 0..1."""
    if tonalness > TONAL:
        return "tonal"
    return "partly tonal" if tonalness > NOISY else "noisy"


def tonalness(frames: NDArray[np.float32]) -> float:
    """0 for noise to 1 for steady tones; ``frames`` of shape (n, FRAME) at RATE."""
    if not len(frames):
        return 0.0
    window = np.hanning(FRAME).astype(np.float32)
    power = np.abs(scipy.fft.rfft(frames * window, axis=1)) ** 2 + np.float32(1e-16)
    edges = _band_edges()
    widths = np.diff(edges)
    used = power[:, edges[0] : edges[-1]]
    starts = edges[:-1] - edges[0]
    log_mean = np.add.reduceat(np.log(used), starts, axis=1) / widths
    energy = np.add.reduceat(used, starts, axis=1)
    flatness_db = 10.0 / np.log(10.0) * (log_mean - np.log(energy / widths))
    share = np.clip((flatness_db - _NOISE_DB) / (_TONE_DB - _NOISE_DB), 0.0, 1.0)
    return float(np.sum(share * energy) / np.sum(energy))


def _band_edges() -> NDArray[np.int64]:
    low, high, bin_hz = 100.0, 7_500.0, RATE / FRAME
    hz = low * 2.0 ** (np.arange(int(3 * np.log2(high / low)) + 1) / 3.0)
    edges = np.unique(np.round(hz / bin_hz).astype(np.int64))
    # a band needs enough bins for a mean to be a mean
    kept = [int(edges[0])]
    for edge in edges[1:]:
        if edge - kept[-1] >= 8:
            kept.append(int(edge))
    return np.array(kept)
