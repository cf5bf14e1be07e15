"""Quietening steady noise, learnt from a stretch where there is nothing else.

A Wiener filter on the short-time spectrum whose signal-to-noise ratio is carried over from
frame to frame: P. Scalart and J. Vieira Filho, "Speech enhancement based on a priori signal
to noise estimation", ICASSP 1996, with the decision-directed estimate of Y. Ephraim and
D. Malah, IEEE Trans. ASSP 32(6), 1984, which keeps lone bins from flickering (O. Cappé,
"Elimination of the musical noise phenomenon", IEEE Trans. Speech and Audio Processing 2(2),
1994).
"""

from __future__ import annotations

import numpy as np
import scipy.fft
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from innerbloom.core.errors import BloomError
from innerbloom.core.process.separate import window_for
from innerbloom.core.process.stft import OVERLAP, OverlapAdd, frames_at, hann, spectra_at
from innerbloom.core.process.stretch import Progress

_WINDOW_S = 0.043
_CARRIED = 0.98
_LEAST_SNR = 10.0 ** (-25.0 / 10.0)
_AT_ONCE = 256
LEAST_LEARNT_S = 0.1


def learn_noise(samples: NDArray[np.float32], rate: float) -> NDArray[np.float32]:
    """Mean power spectrum of a stretch of shape (frames, channels), smoothed over bins.

    Raises
    ------
    BloomError
        If it is shorter than a tenth of a second or silent.
    """
    length = window_for(rate, _WINDOW_S)
    if len(samples) < LEAST_LEARNT_S * rate:
        raise BloomError("The quiet stretch is too short to learn from: choose 0.1 s or more.")
    centres = np.arange(length // 2, max(length // 2 + 1, len(samples) - length // 2), length // 4)
    power = np.zeros(length // 2 + 1)
    for channel in range(samples.shape[1]):
        frames = frames_at(samples[:, channel], centres, length) * hann(length)
        power += np.mean(np.abs(scipy.fft.rfft(frames, axis=1)) ** 2, axis=0)
    if power.max() < 1e-12:
        raise BloomError("The quiet stretch is silent, so there is no noise in it to learn from.")
    return np.asarray(uniform_filter1d(power, 3, mode="nearest"), np.float32)


def quieten(
    samples: NDArray[np.float32],
    rate: float,
    noise: NDArray[np.float32],
    *,
    amount: float = 1.0,
    floor_db: float = -12.0,
    progress: Progress | None = None,
) -> NDArray[np.float32]:
    """Lower what looks like the learnt noise.

    Parameters
    ----------
    samples : ndarray, shape (frames, channels)
    noise : ndarray
        From :func:`learn_noise` at the same rate.
    amount : float
        How much of the learnt noise is taken away; 1 is as much as was learnt.
    floor_db : float
        The most that anything is lowered, 0 or below: what is left hides what the filter does.
    """
    length = window_for(rate, _WINDOW_S)
    hop = length // OVERLAP
    least = 10.0 ** (floor_db / 20.0)
    bar = np.maximum(noise * amount, 1e-14)
    count = len(samples) // hop + 2
    whole = OverlapAdd(len(samples), samples.shape[1], length, hop)
    carried = np.zeros(length // 2 + 1)
    for first in range(0, count, _AT_ONCE):
        centres = np.arange(first, min(count, first + _AT_ONCE)) * hop
        spectra = spectra_at(samples, centres, length)
        post = np.sum(np.abs(spectra) ** 2, axis=2) / bar
        gain, carried = _wiener(uniform_filter1d(post, 3, axis=1), carried)
        whole.add(first, spectra * np.maximum(gain, least)[:, :, None])
        if progress and not progress(centres[-1] / (count * hop)):
            break
    return whole.result()


def _wiener(
    post: NDArray[np.floating], carried: NDArray[np.float64]
) -> tuple[NDArray[np.float32], NDArray[np.float64]]:
    """Gains of shape (n, bins) for a-posteriori ratios, and what the next frame takes over."""
    gains = np.empty(post.shape, np.float32)
    for row, ratio in enumerate(post):
        prior = _CARRIED * carried + (1.0 - _CARRIED) * np.maximum(ratio - 1.0, 0.0)
        prior = np.maximum(prior, _LEAST_SNR)
        gain = prior / (1.0 + prior)
        gains[row] = gain
        carried = gain**2 * ratio
    return gains, carried
