"""Short segments of a sound, each described by what it sounds like.

Choosing grains by such descriptions is corpus-based concatenative synthesis: D. Schwarz, G. Beller,
B. Verbrugghe and S. Britton, "Real-time corpus-based concatenative synthesis with CataRT",
DAFx 2006. Loudness, brightness and pitch are those that followers hear, so that one sound can be
found by another.
"""

from __future__ import annotations

import math

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.analysis.contour import (
    BRIGHTNESS_OCTAVES,
    CLEAR,
    CONTOUR_HOP,
    CONTOUR_RATE,
    LOWEST_BRIGHTNESS_HZ,
    LOWEST_PITCH_HZ,
    PITCH_OCTAVES,
    contour_of,
)
from innerbloom.core.analysis.mono import mono_at
from innerbloom.core.analysis.pitch import FRAME, RATE, frame_pitches

HOP_S = 0.05
QUIETEST_DB = -60.0
"""Level that reads as no loudness at all."""

_SILENT_DB = -75.0
_FLATTEST_DB = -60.0
_WINDOW = 1024
_AT_ONCE = 512


def segments_of(samples: NDArray[np.float32], rate: float) -> NDArray[np.float64]:
    """Describe a sound every HOP_S seconds.

    Parameters
    ----------
    samples : ndarray, shape (frames, channels)
    rate : float
        Frames a second.

    Returns
    -------
    ndarray, shape (segments, 6)
        The middle of each segment in seconds, then its loudness in dB of mean power, and in 0..1
        its brightness (octaves from 50 Hz to 12.8 kHz), pitch (octaves from C1 to C8, 0 where
        none is clear), noisiness (how unclear the pitch is) and flatness of the spectrum
        (-60 dB to 0). Silent segments are left out, unless all are.
    """
    course = contour_of(samples, rate)
    mono = mono_at(samples, rate, RATE)
    count = max(1, math.floor(len(mono) / RATE / HOP_S))
    middles = np.asarray((np.arange(count) + 0.5) * HOP_S, np.float64)
    rows = course[np.minimum((middles * CONTOUR_RATE / CONTOUR_HOP).astype(int), len(course) - 1)]
    level = 10.0 * np.log10(rows[:, 0] + 1e-12)
    clarity, flatness = _clear_and_flat(mono, middles)
    sung = np.where((clarity >= CLEAR) & (rows[:, 2] > 0), rows[:, 2], LOWEST_PITCH_HZ)
    described = np.column_stack(
        (
            brightness_of(rows[:, 0], rows[:, 1]),
            np.log2(sung / LOWEST_PITCH_HZ) / PITCH_OCTAVES,
            1.0 - clarity,
            1.0 - flatness / _FLATTEST_DB,
        )
    )
    heard = level > _SILENT_DB
    if not heard.any():
        heard[:] = True
    every = np.column_stack((middles, level, np.clip(described, 0.0, 1.0)))
    return np.asarray(every[heard])


def brightness_of(power: NDArray[np.float64], change: NDArray[np.float64]) -> NDArray[np.float64]:
    """Brightness from powers of a sound and of its differences, as a follower counts it."""
    half = np.minimum(0.5 * np.sqrt(change / np.maximum(power, 1e-12)), 1.0)
    sine = np.maximum(CONTOUR_RATE / np.pi * np.arcsin(half), 1.0)
    return np.asarray(np.log2(sine / LOWEST_BRIGHTNESS_HZ) / BRIGHTNESS_OCTAVES)


def _clear_and_flat(
    mono: NDArray[np.float32], middles: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Clarity of the pitch, 0..1, and spectral flatness in dB, around each moment."""
    padded = np.pad(mono, (FRAME, FRAME))
    starts = (middles * RATE).astype(np.int64) + FRAME - FRAME // 2
    every = np.lib.stride_tricks.sliding_window_view(padded, FRAME)
    clarity, flatness = np.zeros(len(starts)), np.zeros(len(starts))
    for first in range(0, len(starts), _AT_ONCE):
        some = slice(first, first + _AT_ONCE)
        frames = every[starts[some]]
        clarity[some] = np.clip(frame_pitches(frames).clarity, 0.0, 1.0)
        inner = frames[:, (FRAME - _WINDOW) // 2 : (FRAME + _WINDOW) // 2]
        power = np.abs(scipy.fft.rfft(inner * np.hanning(_WINDOW), axis=1)[:, 2:]) ** 2 + 1e-14
        flatness[some] = 10.0 * (np.log10(power).mean(axis=1) - np.log10(power.mean(axis=1)))
    return clarity, flatness
