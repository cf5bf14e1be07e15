"""Measuring the harmonics of a sound at moments: of its cycles, of its spectrum, of a stretch."""

from __future__ import annotations

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.materials.wavetable.following import Cycles
from innerbloom.core.materials.wavetable.table import CYCLE, HARMONICS, Spectra, spectra_of
from innerbloom.core.process.stft import frames_at
from innerbloom.core.process.varispeed import read_at

_SPECTRUM = 4_096
_LOOKS = 4


def of_cycles(
    mono: NDArray[np.float32], cycles: Cycles, seconds: NDArray[np.float64], together: int
) -> Spectra:
    """Harmonics of the cycles around moments, in time with the count of cycles.

    The sound is read at even steps of its own cycles, so that each harmonic stands still
    however the pitch moves (pitch-synchronous analysis: M. V. Mathews, J. E. Miller and
    E. E. David, JASA 33(2), 1961); a Hann window over some cycles then tells them apart.

    Parameters
    ----------
    together : int
        Cycles looked at together. One is taken as it stands; more are weighted by a window.

    Returns
    -------
    ndarray of complex, shape (moments, HARMONICS)
        Those above the recording's Nyquist frequency are 0.
    """
    count = cycles.count
    span = 1 if together == 1 else max(2, min(together, int(count[-1] - count[0])))
    middle = np.interp(seconds * cycles.rate, np.arange(len(count)), count)
    latest = max(np.floor(count[-1]) - span, 0.0)
    first = np.clip(np.round(middle - span / 2), np.ceil(count[0]), latest)
    grid = np.arange(span * CYCLE) / CYCLE
    places = np.interp(first[:, None] + grid, count, np.arange(len(count)))
    longest = cycles.rate / max(float(cycles.hz_at(seconds).min()), 1e-3)
    fastest = max(1.0, longest / CYCLE)
    read = read_at(mono[:, None], places.reshape(-1), fastest)[:, 0]
    weights = np.ones(len(grid)) if span == 1 else scipy.signal.get_window("hann", len(grid))
    rows = read.reshape(len(seconds), span * CYCLE) * (weights / weights.sum() * CYCLE)
    spectra = spectra_of(rows.reshape(len(seconds), span, CYCLE).sum(axis=1))
    top = 0.49 * cycles.rate / np.maximum(cycles.hz_at(seconds), 1e-3)
    spectra[np.arange(1, HARMONICS + 1)[None, :] > top[:, None]] = 0.0
    return spectra


def of_spectrum(
    mono: NDArray[np.float32], rate: float, seconds: NDArray[np.float64], root_hz: float
) -> Spectra:
    """The spectrum around moments, gathered at the multiples of a root.

    A harmonic has the power of the band about it. Phases follow M. R. Schroeder, "Synthesis
    of low-peak-factor signals and binary sequences with low autocorrelation", IEEE Trans.
    Information Theory 16, 1970, from the mean power of all moments, so that frames agree.
    """
    window = scipy.signal.get_window("hann", _SPECTRUM)
    offsets = (np.arange(_LOOKS) - (_LOOKS - 1) / 2) * (_SPECTRUM / _LOOKS)
    centres = np.round(seconds[:, None] * rate + offsets).astype(np.int64)
    centres = np.clip(centres, 0, max(0, len(mono) - 1))
    rows = frames_at(mono, centres.reshape(-1), _SPECTRUM).astype(np.float64) * window
    power = np.abs(scipy.fft.rfft(rows, axis=1)) ** 2
    power = power.reshape(len(seconds), _LOOKS, -1).mean(axis=1)
    power *= 2.0 / (_SPECTRUM * (window**2).sum())
    below = np.concatenate((np.zeros((len(power), 1)), np.cumsum(power, axis=1)), axis=1)
    edges = (np.arange(HARMONICS + 1) + 0.5) * root_hz * _SPECTRUM / rate + 0.5
    bins = np.arange(below.shape[1])
    reached = np.stack([np.interp(edges, bins, row) for row in below])
    amplitude = np.sqrt(2.0 * np.diff(reached, axis=1))
    return np.asarray(amplitude * np.exp(1j * schroeder_phases(amplitude)))


def schroeder_phases(amplitude: NDArray[np.float64]) -> NDArray[np.float64]:
    """Phases that keep the peak low for the mean power of rows of amplitudes, radians."""
    shares = (amplitude**2).mean(axis=0)
    shares = shares / max(float(shares.sum()), 1e-30)
    # sum over l < k of (k - l) p_l is the running sum of the running sum
    return np.asarray(-2.0 * np.pi * np.cumsum(np.cumsum(shares) - shares))


def of_stretches(
    mono: NDArray[np.float32],
    rate: float,
    seconds: NDArray[np.float64],
    length_s: float,
    closed: float,
) -> Spectra:
    """Stretches taken as one period each and closed at their seam.

    Parameters
    ----------
    length_s : float
        Length of a stretch, seconds.
    closed : float
        Share of it, 0..0.5, over which its end crosses into what comes before its beginning.
    """
    frames = length_s * rate
    fade = round(closed * CYCLE)
    step = frames / CYCLE
    start = np.clip(seconds * rate - frames / 2, fade * step, max(fade * step, len(mono) - frames))
    places = start[:, None] + step * (np.arange(CYCLE + fade) - fade)
    read = read_at(mono[:, None], places.reshape(-1), fastest=step)[:, 0]
    rows = read.reshape(len(seconds), CYCLE + fade).astype(np.float64)
    waves = rows[:, fade:].copy()
    if fade:
        share = np.sin(0.5 * np.pi * (np.arange(fade) + 0.5) / fade) ** 2
        waves[:, CYCLE - fade :] = waves[:, CYCLE - fade :] * (1 - share) + rows[:, :fade] * share
    return spectra_of(waves)
