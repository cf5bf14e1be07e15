"""Peaks of short-time spectra, with frequency, amplitude, phase and how sinusoidal each is.

The window is the four-term one of Blackman and Harris (F. J. Harris, "On the use of windows for
harmonic analysis with the discrete Fourier transform", Proc. IEEE 66(1), 1978), whose side
lobes lie 92 dB down. Frequency is the bin's reassigned one (F. Auger and P. Flandrin, "Improving
the readability of time-frequency and time-scale representations by the reassignment method",
IEEE Trans. Signal Processing 43(5), 1995); amplitude is read through the window's own transform at
that frequency. The reassigned frequencies of a sinusoid's neighbouring bins are equal, those of
noise scatter, which tells them apart.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.compiling import kernel
from innerbloom.core.materials.spectrum.model import HOP, RATE, Floats
from innerbloom.core.process.stft import frames_at

_TERMS = (0.35875, -0.48829, 0.14128, -0.01168)
_QUIETEST_DB = -96.0
_BELOW_LOUDEST_DB = -75.0
_AT_ONCE = 256
_RESPONSE_STEPS = 256


@dataclass(frozen=True)
class Peaks:
    """Peaks of all moments, one after another, rising in frequency within a moment.

    Attributes
    ----------
    starts : ndarray of int64, shape (moments + 1,)
        Where each moment's peaks begin.
    hz, level, phase : ndarray of float64
    scatter : ndarray of float64
        How far neighbouring bins disagree about the frequency, in bins: 0 for a sinusoid.
    rise : ndarray of float64
        Slope of the logarithm of the amplitude, per second.
    """

    starts: NDArray[np.int64]
    hz: NDArray[np.float64]
    level: NDArray[np.float64]
    phase: NDArray[np.float64]
    scatter: NDArray[np.float64]
    rise: NDArray[np.float64]


def window_of(length: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The periodic window, which sums to 1, and its derivative per frame."""
    turn = 2.0 * np.pi * np.arange(length) / length
    window = sum(a * np.cos(k * turn) for k, a in enumerate(_TERMS))
    slope = sum(-a * k * np.sin(k * turn) for k, a in enumerate(_TERMS)) * (2.0 * np.pi / length)
    total = float(np.sum(window))
    return np.asarray(window / total), np.asarray(slope / total)


@lru_cache(32)
def _response(length: int) -> tuple[NDArray[np.float64], float]:
    """The window's transform at steps of 1/_RESPONSE_STEPS bins from 0 to 2, and its spread in s:
    made once for each length."""
    window, _ = window_of(length)
    at = np.arange(length) - length / 2
    bins = np.arange(2 * _RESPONSE_STEPS + 2) / _RESPONSE_STEPS
    response = np.cos(2.0 * np.pi * bins[:, None] * at[None, :] / length) @ window
    variance = float(np.dot(window, at**2)) / RATE**2
    return response, variance


def spread_s2(length: int) -> float:
    """Variance of a window about its middle, in seconds squared."""
    return _response(length)[1]


def find_peaks(samples: Floats, length: int) -> Peaks:
    """Peaks of a sound every HOP frames, the first moment at frame 0.

    Parameters
    ----------
    samples : ndarray, shape (frames,)
        At RATE.
    length : int
        Frames of the window, even.
    """
    window, slope = (one.astype(np.float32) for one in window_of(length))
    response, variance = _response(length)
    centres = np.arange(len(samples) // HOP + 1) * HOP
    loudest = 1e-12
    found: list[NDArray[np.float64]] = []
    counts: list[NDArray[np.int64]] = []
    for first in range(0, len(centres), _AT_ONCE):
        frames = frames_at(samples, centres[first : first + _AT_ONCE], length)
        spectra = scipy.fft.rfft(frames * window, axis=1)
        slopes = scipy.fft.rfft(frames * slope, axis=1)
        power = (spectra.real**2 + spectra.imag**2).astype(np.float32)
        loudest = max(loudest, float(power.max()))
        rows = np.zeros((power.size // 2 + 1, 5))
        count = np.zeros(len(power), np.int64)
        total = _pick(
            power, spectra, slopes, response, variance, 10.0 ** (_QUIETEST_DB / 10.0), rows, count
        )
        found.append(rows[:total])
        counts.append(count)
    return _loud_enough(np.concatenate(found), np.concatenate(counts), 2.0 * math.sqrt(loudest))


def _loud_enough(rows: NDArray[np.float64], counts: NDArray[np.int64], loudest: float) -> Peaks:
    kept = rows[:, 1] > loudest * 10.0 ** (_BELOW_LOUDEST_DB / 20.0)
    owner = np.repeat(np.arange(len(counts)), counts)[kept]
    starts = np.searchsorted(owner, np.arange(len(counts) + 1))
    hz, level, phase, scatter, rise = np.ascontiguousarray(rows[kept].T)
    return Peaks(starts.astype(np.int64), hz, level, phase, scatter, rise)


@kernel
def _pick(power, spectra, slopes, response, variance, least, rows, count):  # type: ignore[no-untyped-def]
    """Fill rows of [hz, level, phase, scatter, rise] with the peaks of each frame."""
    bins = power.shape[1]
    bin_hz = RATE / (2.0 * (bins - 1))
    total = 0
    for t in range(len(power)):
        row = power[t]
        for k in range(2, bins - 2):
            here = row[k]
            if here < least or here < row[k - 1] or here <= row[k + 1]:
                continue
            # a peak of a window with this lobe also stands over its second neighbours
            if here < row[k - 2] or here < row[k + 2]:
                continue
            offset = _offset(spectra[t, k], slopes[t, k], here, bins)
            if abs(offset) > 1.0:
                continue
            below = _offset(spectra[t, k - 1], slopes[t, k - 1], row[k - 1], bins) - 1.0
            above = _offset(spectra[t, k + 1], slopes[t, k + 1], row[k + 1], bins) + 1.0
            place = abs(offset) * _RESPONSE_STEPS
            low = np.int64(place)
            through = response[low] + (place - low) * (response[low + 1] - response[low])
            s, d = spectra[t, k], slopes[t, k]
            # a window that slides on sees the sound rise as its own slope falls
            rise = -(d.real * s.real + d.imag * s.imag) / here * RATE
            rise = min(max(rise, -60.0), 60.0)
            rows[total, 0] = (k + offset) * bin_hz
            rows[total, 1] = (
                2.0 * math.sqrt(here) / through * math.exp(-0.5 * rise * rise * variance)
            )
            # the phase at the middle of the window, half of it later: every other bin is turned
            turned = 1.0 if k % 2 == 0 else -1.0
            rows[total, 2] = math.atan2(turned * s.imag, turned * s.real)
            rows[total, 3] = max(abs(below - offset), abs(above - offset))
            rows[total, 4] = rise
            total += 1
            count[t] += 1
    return total


@kernel
def _offset(s, d, power, bins):  # type: ignore[no-untyped-def]
    """Reassigned frequency less the bin's own, in bins."""
    if power < 1e-30:
        return 0.0
    return -(d.imag * s.real - d.real * s.imag) / power * (bins - 1) / math.pi
