"""Where in a recording an instrument starts out, and what kind of sound lies there.

The stretch that is played first is loud and even rather than long: the mean of its levels counts
against their spread. What kind of sound it is follows from how it holds (levels over 10 ms, weighted
as in ITU-R BS.1770-4) and how tonal it is (:mod:`.tonalness`).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import numpy as np
import scipy
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from innerbloom.core.analysis.evening import HOP_S, evened_db, loud_power, weighted_power
from innerbloom.core.analysis.mono import mono_at
from innerbloom.core.analysis.pitch import FRAME, RATE
from innerbloom.core.analysis.tonalness import NOISY, tonalness
from innerbloom.core.declare.sound import MAX_STRETCH_S, stretch_around
from innerbloom.core.sound.dc import without_dc
from innerbloom.core.sound.files import read_stretch, sound_info
from innerbloom.core.sound.levels import loudness_filters, lufs_of

_SPANS_S = (3.0, 1.5, 0.75, 0.4, 0.2, 0.1)
_HALVED_DB = 2.5
"""What a stretch has to gain in level or evenness to be worth half the length."""

_LEVEL_COUNTS = 0.25
"""How much level counts that can be evened out."""

_STRIKING_S = 0.5
_EVEN_DB, _STEADY_S = 2.5, 0.7
_QUIET_DB = -6.0
"""What is quieter than that once it is raised is silence between sounds, or noise."""

_SHORTEST = 6
"""Hops that are left of a stretch at least: grains are no shorter."""

_DARKER_DB = 2.0
_LOWEST_CORNER_HZ, _CORNERS = 40.0, 128
_SILENT = 1e-10

Character = Literal["steady", "changing", "noisy", "striking"]


@dataclass(frozen=True)
class Opening:
    """A stretch of a recording to start out from.

    Attributes
    ----------
    character : {"steady", "changing", "noisy", "striking"}
    middle_s, span_s : float
        Its middle and its length in seconds.
    lufs : float or None
        Its loudness once quiet places are raised, see :mod:`.evening`; None for silence.
    bright_hz : float
        How far down a filter may close before it takes 2 dB of its loudness.
    """

    character: Character
    middle_s: float
    span_s: float
    lufs: float | None
    bright_hz: float


def find_opening(samples: NDArray[np.float32], rate: float, at_s: float | None = None) -> Opening:
    """Look for a stretch in samples of shape (frames, channels).

    Parameters
    ----------
    at_s : float, optional
        A moment in seconds that the stretch is to lie around; anywhere if None.
    """
    samples = without_dc(samples, rate)
    power = weighted_power(samples, rate)
    evened = evened_db(power)
    first, count = _loud_and_even(power, evened, at_s)
    if at_s is None:
        first, count = _without_silence(evened, first, count)
    hops = slice(first, first + count)
    there = samples[round(first * HOP_S * rate) : round((first + count) * HOP_S * rate)]
    loud = loud_power(power) * float(np.mean(10.0 ** (0.1 * evened[hops])))
    levels_db = 10.0 * np.log10(power[hops] + 1e-12)
    return Opening(
        _character(there, rate, power, levels_db),
        (first + 0.5 * count) * HOP_S,
        count * HOP_S,
        lufs_of(loud) if loud > _SILENT else None,
        _bright_hz(there, rate, evened[hops] - levels_db),
    )


def _loud_and_even(
    power: NDArray[np.float64], evened: NDArray[np.float64], at_s: float | None
) -> tuple[int, int]:
    """First hop and number of hops of the best stretch."""
    levels = evened + _LEVEL_COUNTS * 10.0 * np.log10(power + 1e-12)
    best, found = -math.inf, (0, len(power))
    for number, span_s in enumerate(_SPANS_S):
        count = round(span_s / HOP_S)
        if count > len(power):
            continue
        score = _scores(levels, count) - _HALVED_DB * number
        if at_s is not None:
            around = min(max(0, round(at_s / HOP_S) - count // 2), len(score) - 1)
            score = np.where(np.arange(len(score)) == around, score, -math.inf)
        first = int(score.argmax())
        if score[first] > best:
            best, found = float(score[first]), (first, count)
    return found


def _without_silence(evened: NDArray[np.float64], first: int, count: int) -> tuple[int, int]:
    """The longest part of a stretch that is loud once it is raised; all of it where none is."""
    loud = np.pad(evened[first : first + count] > _QUIET_DB, 1).astype(np.int8)
    begins, ends = np.flatnonzero(np.diff(loud) > 0), np.flatnonzero(np.diff(loud) < 0)
    if len(begins) == 0:
        return first, count
    best = int(np.argmax(ends - begins))
    length = min(count, max(_SHORTEST, int(ends[best] - begins[best])))
    return first + min(int(begins[best]), count - length), length


def _scores(levels: NDArray[np.float64], count: int) -> NDArray[np.float64]:
    """Mean minus spread of the levels in every stretch of so many hops."""
    middle = count // 2
    mean = uniform_filter1d(levels, count)
    spread = np.sqrt(np.maximum(uniform_filter1d(levels**2, count) - mean**2, 0.0))
    inside = slice(middle, middle + len(levels) - count + 1)
    return np.asarray((mean - spread)[inside])


def _character(
    there: NDArray[np.float32],
    rate: float,
    power: NDArray[np.float64],
    levels_db: NDArray[np.float64],
) -> Character:
    if _effective_s(power) < _STRIKING_S:
        return "striking"
    mono = mono_at(there, rate, RATE)
    frames = np.lib.stride_tricks.sliding_window_view(
        np.pad(mono, (0, max(0, FRAME - len(mono)))), FRAME
    )[:: FRAME // 2]
    if tonalness(frames) < NOISY:
        return "noisy"
    even = levels_db.std() < _EVEN_DB and len(there) >= _STEADY_S * rate
    return "steady" if even else "changing"


def _effective_s(power: NDArray[np.float64]) -> float:
    """How long a sound lasts that holds the same energy at its highest level over 50 ms."""
    highest = uniform_filter1d(power, 5).max()
    return HOP_S * float(power.sum() / max(highest, 1e-20))


def _bright_hz(there: NDArray[np.float32], rate: float, raised_db: NDArray[np.float64]) -> float:
    """The corner of a Butterworth filter of 12 dB that takes :data:`_DARKER_DB` of the loudness of what is raised."""
    if len(there) < 64:
        return 0.45 * rate
    at = np.arange(len(there)) / (HOP_S * rate) - 0.5
    raised = 10.0 ** (0.05 * np.interp(at, np.arange(len(raised_db)), raised_db))
    mono = there.mean(axis=1, dtype=np.float64) * raised
    hz = np.fft.rfftfreq(len(mono), 1.0 / rate)
    _, weight = scipy.signal.freqz_sos(loudness_filters(rate), hz, fs=rate)
    power = np.abs(np.fft.rfft(mono * np.hanning(len(mono))) * weight) ** 2
    corners = np.geomspace(_LOWEST_CORNER_HZ, 0.45 * rate, _CORNERS)
    kept = [float(np.sum(power / (1.0 + (hz / corner) ** 4))) for corner in corners]
    least = 10.0 ** (-0.1 * _DARKER_DB) * float(power.sum())
    return float(corners[min(int(np.searchsorted(kept, least)), _CORNERS - 1)])


def opening_of(path: Path, at_s: float = 0.0) -> Opening:
    """The opening of a recording, in the stretch around a moment; anywhere if that is 0.

    Raises
    ------
    SoundFileError
        If the file cannot be read.
    """
    start, length = stretch_around(sound_info(path).seconds, at_s)
    samples, rate = read_stretch(path, start, length, MAX_STRETCH_S)
    return find_opening(samples, rate, at_s - start if at_s > 0 else None)
