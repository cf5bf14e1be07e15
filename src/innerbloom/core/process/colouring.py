"""Lending one sound the spectral outline of another, by a filter.

The filter is the difference of the two outlines in dB, each smoothed over a share of an octave,
as a minimum-phase response so that nothing is delayed: its phase follows from the folded cepstrum
(A. V. Oppenheim and R. W. Schafer, "Discrete-Time Signal Processing", chapter on homomorphic
processing). What is coloured keeps the loudness that it had.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.process.stft import frames_at, hann
from innerbloom.core.sound.levels import k_weighting

RATE = 48_000
WINDOW = 4096
BINS = WINDOW // 2 + 1
TAPS = 2048
HOP = 2048
"""Frames at RATE between two spectra of a colouring sound."""

_FADE = 256
_FLOOR = 1e-7
_MOST_DB = 36.0
_BROADEST, _FINEST = 2.0, 1.0 / 24.0
"""Octaves that outlines are smoothed over, from no detail to all of it."""

Power = NDArray[np.float64]


def power_spectra(mono: NDArray[np.float32]) -> NDArray[np.float32]:
    """Power spectra of a sound at RATE every HOP frames, shape (moments, BINS)."""
    centres = np.arange(max(1, -(-len(mono) // HOP))) * HOP + HOP // 2
    spectra = scipy.fft.rfft(frames_at(mono, centres, WINDOW) * hann(WINDOW), axis=1)
    return np.asarray(spectra.real**2 + spectra.imag**2, np.float32)


def octaves_for(detail: float) -> float:
    """Octaves of smoothing for a detail of 0..1."""
    return float(_BROADEST * (_FINEST / _BROADEST) ** min(max(detail, 0.0), 1.0))


@lru_cache(maxsize=64)
def _edges(steps: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """First bin and the one after the last of what each bin is the mean of."""
    octaves = 2.0 ** (steps / 8.0)
    bins = np.arange(BINS)
    half = 2.0 ** (octaves / 2.0)
    low = np.minimum(np.floor(bins / half).astype(np.int64), bins)
    high = np.maximum(np.ceil(bins * half).astype(np.int64), bins) + 1
    return low, np.minimum(high, BINS)


def smoothed(power: Power, octaves: float) -> Power:
    """The mean of power about each bin, over so many octaves, to an eighth of a doubling."""
    low, high = _edges(round(8.0 * np.log2(octaves)))
    total = np.concatenate(([0.0], np.cumsum(power)))
    return np.asarray((total[high] - total[low]) / (high - low))


def colour_filter(own: Power, wanted: Power, amount: float, detail: float) -> NDArray[np.float32]:
    """The response that gives a sound the outline of another.

    Parameters
    ----------
    own, wanted : ndarray, shape (BINS,)
        Power spectra; their levels do not matter.
    amount : float
        0..1: share of the difference in dB.
    detail : float
        0..1: from broad outlines to every partial.

    Returns
    -------
    ndarray of float32, shape (TAPS,)
        Minimum phase; a single 1 where nothing is to be changed.
    """
    octaves = octaves_for(detail)
    one, other = smoothed(own, octaves), smoothed(wanted, octaves)
    if amount <= 0.0 or one.max() <= 0.0 or other.max() <= 0.0:
        return identity()
    difference = np.log(other / other.max() + _FLOOR) - np.log(one / one.max() + _FLOOR)
    limit = _MOST_DB * np.log(10.0) / 10.0
    gain = amount * np.clip(difference - np.average(difference, weights=own), -limit, limit)
    # in power; what the sound has stays as loud as it was, all together
    heard = own * _loudness_weight()
    gain -= np.log(np.sum(heard * np.exp(gain)) / np.sum(heard))
    return _minimum_phase(0.5 * gain)


@lru_cache(1)
def _loudness_weight() -> Power:
    """Power response of K-weighting (ITU-R BS.1770-4) at each bin."""
    hz = np.linspace(0.0, RATE / 2, BINS)
    _, response = scipy.signal.sosfreqz(k_weighting(RATE), hz, fs=RATE)
    return np.asarray(np.abs(response) ** 2)


def identity() -> NDArray[np.float32]:
    """The response that changes nothing."""
    taps = np.zeros(TAPS, np.float32)
    taps[0] = 1.0
    return taps


def _minimum_phase(log_gain: Power) -> NDArray[np.float32]:
    cepstrum = scipy.fft.irfft(log_gain, WINDOW)
    cepstrum[1 : WINDOW // 2] *= 2.0
    cepstrum[WINDOW // 2 + 1 :] = 0.0
    response = scipy.fft.irfft(np.exp(scipy.fft.rfft(cepstrum)), WINDOW)[:TAPS]
    response[-_FADE:] *= np.cos(0.5 * np.pi * np.arange(_FADE) / _FADE) ** 2
    return np.asarray(response, np.float32)
