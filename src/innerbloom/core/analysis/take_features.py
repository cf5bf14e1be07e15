"""What is looked at to find moments in a long sound: timbre, level, onsets, and where it loops."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import scipy.fft
import soxr
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from innerbloom.core.analysis.loops import find_loops
from innerbloom.core.analysis.mono import one_channel
from innerbloom.core.analysis.onsets import HOP, RATE, OnsetCollector, Strength
from innerbloom.core.analysis.timbre import mel_matrix
from innerbloom.core.errors import BloomError

LOOK = 1_200
"""Frames at :data:`.RATE` between two looks: 50 ms."""

LOOK_S = LOOK / RATE
_WINDOW = 2_048
_FLOOR_DB = -80.0
_LOOP_WINDOW_S, _LONGER = 9.0, 0.02
_APART_S = 0.5
_MOST_LOOPS, _A_LOOP_EACH_S = 24, 24.0
_AUDIBLE_DB, _HIDDEN_DB = -60.0, 40.0

Read = Callable[[int, int], NDArray[np.float32]]
"""``read(first, count)`` gives frames of shape (count or fewer, channels)."""


@dataclass(frozen=True)
class TakeFeatures:
    """A long sound, as moments are found in it.

    Attributes
    ----------
    bands : ndarray of float32, shape (looks, 36)
        Mel bands in dBFS, one look each :data:`LOOK_S`.
    level_db : ndarray of float32, shape (looks,)
    onsets : Strength
    loops : ndarray of float64, shape (n, 3)
        Start and end in seconds, and how well the end runs into the start, 0..1.
    """

    bands: NDArray[np.float32]
    level_db: NDArray[np.float32]
    onsets: Strength
    loops: NDArray[np.float64]

    @property
    def seconds(self) -> float:
        return len(self.bands) * LOOK_S


class FeatureCollector:
    """Takes a sound in blocks; hours can be fed.

    Parameters
    ----------
    rate : int
        Frames a second of what is fed.
    """

    def __init__(self, rate: int) -> None:
        self._onsets = OnsetCollector(rate)
        self._stream = soxr.ResampleStream(rate, RATE, 1, dtype="float32", quality="MQ")
        self._kept = np.zeros(_WINDOW // 2, np.float32)
        self._window = np.hanning(_WINDOW + 1)[:-1].astype(np.float32)
        self._bands: list[NDArray[np.float32]] = []

    def feed(self, block: NDArray[np.float32]) -> None:
        """Take in a block of shape (frames, channels)."""
        self._onsets.feed(block)
        self._take(self._stream.resample_chunk(one_channel(block)))

    def _take(self, new: NDArray[np.float32]) -> None:
        self._kept = np.concatenate((self._kept, new))
        count = (len(self._kept) - _WINDOW) // LOOK + 1
        if count < 1:
            return
        frames = np.lib.stride_tricks.sliding_window_view(self._kept, _WINDOW)[::LOOK][:count]
        power = np.abs(scipy.fft.rfft(frames * self._window, axis=1)) ** 2
        # a sine of full scale stands at about 0 dB
        power *= (4.0 / _WINDOW) ** 2
        bands = power @ mel_matrix(_WINDOW, RATE)
        self._bands.append((10.0 * np.log10(bands + 10.0 ** (_FLOOR_DB / 10.0))).astype(np.float32))
        self._kept = self._kept[count * LOOK :]

    def looks(self) -> tuple[NDArray[np.float32], Strength]:
        """Bands and onsets, as :class:`TakeFeatures` has them; nothing can be fed afterwards."""
        self._take(self._stream.resample_chunk(np.zeros(1, np.float32), last=True))
        return np.concatenate(
            [*self._bands, np.zeros((0, 36), np.float32)]
        ), self._onsets.strength()

    def features(self, read: Read, rate: int) -> TakeFeatures:
        """All there is, loops searched in the stillest stretches; nothing can be fed afterwards."""
        bands, onsets = self.looks()
        level = _levels(onsets, len(bands))
        return TakeFeatures(bands, level, onsets, _loops(bands, level, read, rate))


def _levels(onsets: Strength, count: int) -> NDArray[np.float32]:
    """The level of each look: the mean of the power over it."""
    by = LOOK // HOP
    power = np.power(10.0, onsets.level_db / 10.0)
    padded = np.pad(power, (0, max(0, count * by - len(power))))[: count * by]
    mean = padded.reshape(count, by).mean(axis=1)
    return np.asarray(10.0 * np.log10(mean + 1e-12), np.float32)


def movement(bands: NDArray[np.float32], seconds: float) -> NDArray[np.float64]:
    """How much the spectrum moves within half a second, in dB, on average about each look.

    Parameters
    ----------
    bands : ndarray, shape (looks, n)
    seconds : float
        Length of the stretch that is averaged over.
    """
    apart = round(_APART_S / LOOK_S)
    if len(bands) <= apart:
        return np.zeros(len(bands))
    away = np.sqrt(np.mean((bands[apart:].astype(np.float64) - bands[:-apart]) ** 2, axis=1))
    middle = np.pad(away, (apart // 2, apart - apart // 2), mode="edge")
    return np.asarray(uniform_filter1d(middle, max(1, round(seconds / LOOK_S)), mode="nearest"))


def _loops(
    bands: NDArray[np.float32], level: NDArray[np.float32], read: Read, rate: int
) -> NDArray[np.float64]:
    """The best loop of each of the stillest audible stretches."""
    size = round(_LOOP_WINDOW_S / LOOK_S)
    if len(bands) < size // 4:
        return np.zeros((0, 3))
    # timbre alone, above what each look's own loudest band hides
    loudest = bands.max(axis=1, keepdims=True)
    moves = movement(np.maximum(bands - loudest, -_HIDDEN_DB), 0.8 * _LOOP_WINDOW_S)
    loud = uniform_filter1d(level.astype(np.float64), size, mode="nearest")
    moves = np.where(loud > _AUDIBLE_DB, moves, np.inf)
    found: list[tuple[float, float, float]] = []
    searched = np.clip(len(bands) * LOOK_S / _A_LOOP_EACH_S, 1, _MOST_LOOPS)
    for _ in range(int(searched)):
        middle = int(np.argmin(moves))
        if not np.isfinite(moves[middle]):
            break
        first = max(0, min(middle - size // 2, len(bands) - size))
        moves[max(0, middle - size) : middle + size] = np.inf
        found += _best_loop(first * LOOK_S, read, rate)
    return np.array(found).reshape(-1, 3)


def _best_loop(start_s: float, read: Read, rate: int) -> list[tuple[float, float, float]]:
    sound = read(round(start_s * rate), round(_LOOP_WINDOW_S * rate))
    mono = soxr.resample(one_channel(sound), rate, RATE, quality="MQ")
    try:
        loops, _ = find_loops(mono[:, None], RATE, least_s=1.5, most=2)
    except BloomError:
        return []
    found = [(start_s + one.start / RATE, start_s + one.end / RATE, one.closes) for one in loops]
    # of those that close about as well, the longest is heard least as a loop
    return sorted(found, key=lambda one: one[2] + _LONGER * (one[1] - one[0]))[-1:]
