"""Spectral envelopes: the shape that formants give a spectrum, without its partials.

A window of three periods, smoothing over two thirds of the fundamental, and liftering that
takes out what is left of the partials: M. Morise, "CheapTrick, a spectral envelope estimator
for high-quality speech synthesis", Speech Communication 67, 2015.
"""

from __future__ import annotations

import numpy as np
import scipy.fft
from numpy.typing import NDArray

_Q0, _Q1 = 1.18, -0.09
LEAST_HZ = 48.0
"""Lowest fundamental told from formants; three of its periods have to fit the transform."""


def log_envelope(
    samples: NDArray[np.float32], rate: float, centre: int, hz: float, length: int
) -> NDArray[np.float64]:
    """Natural logarithm of the amplitude envelope about one moment.

    Parameters
    ----------
    samples : ndarray, shape (frames, channels)
    centre : int
        Frame to look at.
    hz : float
        Fundamental there; for a sound without one, how finely the envelope should follow.
    length : int
        Transform length; the envelope has ``length // 2 + 1`` bins.
    """
    hz = max(hz, LEAST_HZ, 3.2 * rate / length)
    half = min(length // 2 - 1, round(1.5 * rate / hz))
    window = np.hanning(2 * half + 3)[1:-1]
    window /= np.sqrt(np.sum(window**2))
    first = centre - half
    piece = np.zeros((2 * half + 1, samples.shape[1]))
    low, high = max(0, first), min(len(samples), first + len(piece))
    if high > low:
        piece[low - first : high - first] = samples[low:high]
    piece = piece * window[:, None]
    piece -= window[:, None] * piece.sum(axis=0) / window.sum()
    power = np.sum(np.abs(scipy.fft.rfft(piece, length, axis=0)) ** 2, axis=1)
    width = rate / length
    smooth = _smoothed(_with_low_end(power, hz / width), hz / width)
    cepstrum = scipy.fft.irfft(np.log(smooth))
    quefrency = np.arange(length) / rate
    quefrency = np.minimum(quefrency, length / rate - quefrency)
    lifter = np.sinc(hz * quefrency) * (_Q0 + 2.0 * _Q1 * np.cos(2.0 * np.pi * quefrency * hz))
    return np.asarray(0.5 * scipy.fft.rfft(cepstrum * lifter).real)


def _with_low_end(power: NDArray[np.float64], fundamental: float) -> NDArray[np.float64]:
    """Fill the gap below the fundamental with its mirror image."""
    last = int(fundamental)
    bins = np.arange(last + 1)
    out = power.copy()
    out[: last + 1] += np.interp(fundamental - bins, np.arange(len(power)), power)
    return out


def _smoothed(power: NDArray[np.float64], fundamental: float) -> NDArray[np.float64]:
    """Mean over two thirds of the fundamental, edges mirrored."""
    reach = int(np.ceil(fundamental)) + 2
    padded = np.pad(power, reach, mode="reflect")
    total = np.concatenate(([0.0], np.cumsum(padded)))
    centres = np.arange(len(power)) + reach + 0.5
    third = fundamental / 3.0
    places = np.arange(len(total))
    high = np.interp(centres + third, places, total)
    low = np.interp(centres - third, places, total)
    mean = (high - low) / (2.0 * third)
    return np.asarray(mean + 1e-6 * mean.max() * 1e-4 + 1e-14)
