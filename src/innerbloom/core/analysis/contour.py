"""The course of a recording, for something else to follow: its level, brightness and pitch."""

from __future__ import annotations

import numpy as np
import scipy
import soxr
from numpy.typing import NDArray

from innerbloom.core.analysis.pitch import FRAME, RATE, frame_pitches

CONTOUR_RATE = 48_000
CONTOUR_HOP = 256
"""Frames at CONTOUR_RATE between two moments of a contour."""

CLEAR = 0.8
"""Clarity below which a moment keeps the pitch that was heard before."""

QUIET = 1e-4
"""Level, as RMS, below which no pitch is listened for."""

LOWEST_BRIGHTNESS_HZ, BRIGHTNESS_OCTAVES = 50.0, 8.0
"""Where brightness reads 0, and how many octaves above it 1."""

LOWEST_PITCH_HZ = 440.0 * 2.0 ** (-45 / 12)
"""C1, where a pitch reads 0."""

PITCH_OCTAVES = 7.0

_WINDOW = 1024
_PITCH_HOP = 320
_AT_ONCE = 512


def contour_of(samples: NDArray[np.float32], rate: float) -> NDArray[np.float64]:
    """Power, power of the differences, and pitch of a recording at even moments.

    Parameters
    ----------
    samples : ndarray, shape (frames, channels)
        Channels are averaged.
    rate : float
        Frames a second.

    Returns
    -------
    ndarray, shape (moments, 3)
        Mean power; mean power of the differences from sample to sample at CONTOUR_RATE; and
        pitch in Hz, kept where there is none, 0 where there is none at all. A moment is a
        hop's beginning, seen through a window of 21 ms; there is one at least.
    """
    mono = samples.mean(axis=1, dtype=np.float64)
    even = soxr.resample(mono, rate, CONTOUR_RATE) if rate != CONTOUR_RATE else mono
    moments = max(1, len(even) // CONTOUR_HOP)
    pitch = _pitches(soxr.resample(even, CONTOUR_RATE, RATE), moments)
    change = np.diff(even, append=even[-1:])
    return np.stack((_mean_power(even, moments), _mean_power(change, moments), pitch), axis=1)


def _mean_power(signal: NDArray[np.float64], moments: int) -> NDArray[np.float64]:
    """Mean square around each moment, weighted by a Hann window, so that cycles do not ripple."""
    weights = scipy.signal.windows.hann(_WINDOW, sym=False)
    inside = _weighed(np.ones(len(signal)), weights, moments)
    power: NDArray[np.float64] = _weighed(signal**2, weights, moments) / inside
    return power


def _weighed(
    values: NDArray[np.float64], weights: NDArray[np.float64], moments: int
) -> NDArray[np.float64]:
    padded = np.pad(values, (_WINDOW // 2, _WINDOW // 2 + CONTOUR_HOP))
    rows = np.lib.stride_tricks.sliding_window_view(padded, _WINDOW)[::CONTOUR_HOP][:moments]
    return np.asarray(rows @ weights)


def _pitches(mono: NDArray[np.float64], moments: int) -> NDArray[np.float64]:
    """Hz at each moment, looked for every 20 ms in the 128 ms around it."""
    padded = np.pad(mono.astype(np.float32), (FRAME // 2, FRAME))
    frames = np.lib.stride_tricks.sliding_window_view(padded, FRAME)[
        : max(1, len(mono)) : _PITCH_HOP
    ]
    found = np.zeros(len(frames))
    for first in range(0, len(frames), _AT_ONCE):
        some = frame_pitches(frames[first : first + _AT_ONCE])
        heard = (some.hz > 0) & (some.clarity >= CLEAR) & (some.rms > QUIET)
        found[first : first + _AT_ONCE] = np.where(heard, some.hz, 0.0)
    known = np.flatnonzero(found)
    if not len(known):
        return np.zeros(moments)
    # the pitch before stays; what comes before any takes the first
    last = np.maximum(np.searchsorted(known, np.arange(len(found)), side="right") - 1, 0)
    kept = found[known[last]]
    at = np.arange(moments) * (CONTOUR_HOP / CONTOUR_RATE) * (RATE / _PITCH_HOP)
    pitches: NDArray[np.float64] = kept[np.minimum(np.round(at).astype(int), len(kept) - 1)]
    return pitches
