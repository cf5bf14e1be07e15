"""Crossfades that neither dip nor swell, however alike the two sides are.

Gains a and b add up in power where the sides have nothing in common and in amplitude where they are
the same; in between the level is that of ``sqrt(a² + b² + 2 r a b)``, which is divided out. The
correlation r is that over the fade itself, in each third of an octave on its own: M. Fink, M. Holters
and U. Zölzer, "Signal-matched power-complementary cross-fading and dry-wet mixing", DAFx-16, 2016.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.sound.fades import FadeCurve, rising

_BANDS_AN_OCTAVE = 3
_LOWEST = 1.0 / 480.0
"""Of the sampling rate: 100 Hz at 48 kHz; what is lower is one band."""

_LEAST_LIKE = -0.85
"""Sides that are more opposed than that are not raised any further."""

_MOST_MARGIN = 4_096


def crossfaded(
    samples: NDArray[np.floating], leaving: int, entering: int, frames: int, curve: FadeCurve
) -> NDArray[np.float32]:
    """From one place of a sound to another.

    Parameters
    ----------
    samples : ndarray, shape (total, channels)
    leaving, entering : int
        First frame of the crossfade on either side.

    Returns
    -------
    ndarray of float32, shape (frames, channels)
    """
    margin = _MOST_MARGIN
    around = np.pad(samples, ((margin, margin), (0, 0)))
    one, other = (around[at : at + frames + 2 * margin] for at in (leaving, entering))
    return crossfaded_inside(one, other, margin, frames, curve)


def crossfaded_inside(
    leaving: NDArray[np.floating],
    entering: NDArray[np.floating],
    first: int,
    frames: int,
    curve: FadeCurve,
) -> NDArray[np.float32]:
    """The ``frames`` from ``first`` on, with sound on either side for the bands to be told by.

    Returns
    -------
    ndarray of float32, shape (frames, channels)
    """
    gain_in = rising(frames, curve).astype(np.float64)[:, None]
    gain_out = gain_in[::-1]
    low, high = max(0, first - _MOST_MARGIN), first + frames + _MOST_MARGIN
    pieces = [side[low:high].astype(np.float64) for side in (leaving, entering)]
    size = scipy.fft.next_fast_len(len(pieces[0]), real=True)
    spectra = [scipy.fft.rfft(piece, size, axis=0) for piece in pieces]
    inside = slice(first - low, first - low + frames)
    out = np.zeros((frames, leaving.shape[1]))
    for mask in _masks(size):
        one, other = (scipy.fft.irfft(side * mask, size, axis=0)[inside] for side in spectra)
        like = _correlation(one, other, gain_in * gain_out)
        level = np.sqrt(gain_in**2 + gain_out**2 + 2.0 * like * gain_in * gain_out)
        out += (one * gain_out + other * gain_in) / level
    return np.asarray(out, np.float32)


def correlation(one: NDArray[np.floating], other: NDArray[np.floating]) -> float:
    """How alike two stretches are, -1..1; 1 for silence."""
    scale = float(np.sqrt(np.sum(one**2) * np.sum(other**2)))
    return float(np.sum(one * other) / scale) if scale > 1e-12 else 1.0


def _correlation(
    one: NDArray[np.float64], other: NDArray[np.float64], weight: NDArray[np.float64]
) -> float:
    """Correlation weighted by how much both sides are heard."""
    scale = float(np.sqrt(np.sum(weight * one**2) * np.sum(weight * other**2)))
    if scale <= 1e-15:
        return 0.0
    return max(_LEAST_LIKE, min(1.0, float(np.sum(weight * one * other)) / scale))


@lru_cache(16)
def _masks(size: int) -> tuple[NDArray[np.float64], ...]:
    """Bands that add up to one, as gains of the bins of a spectrum, each of shape (bins, 1)."""
    hz = scipy.fft.rfftfreq(size)
    place = _BANDS_AN_OCTAVE * np.log2(np.maximum(hz, _LOWEST / 4.0) / _LOWEST)
    count = int(np.ceil(_BANDS_AN_OCTAVE * np.log2(0.5 / _LOWEST))) + 1
    found = []
    for band in range(count):
        away = place - band
        if band == 0:
            away = np.maximum(away, 0.0)
        if band == count - 1:
            away = np.minimum(away, 0.0)
        mask = 0.5 + 0.5 * np.cos(np.pi * np.clip(away, -1.0, 1.0))
        mask.flags.writeable = False
        found.append(mask[:, None])
    return tuple(found)
