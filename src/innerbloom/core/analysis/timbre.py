"""What a sound is like, as a few numbers, so that like ones can be found and the likeness be said.

Cepstral coefficients of the spectrum in mel bands (S. Davis and P. Mermelstein, IEEE Trans.
ASSP 28(4), 1980), without the level, for the attack, the body and the tail of the sound each:
how a struck sound changes in its first third of a second tells more of it than its average does
(P. Herrera, A. Yeterian and F. Gouyon, "Automatic classification of drum sounds", ICMAI 2002).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.analysis.mono import one_channel
from innerbloom.core.sound.files import read_blocks, sound_info

_BANDS, _COEFFICIENTS = 36, 12
_LOWEST_HZ, _HIGHEST_HZ = 40.0, 16_000.0
_PARTS_S = (0.0, 0.035, 0.12, 0.35, math.inf)
"""Borders of attack, two parts of the body, and the tail, in seconds from the onset."""

_FLOOR_DB = 70.0
_ONSET_DB, _LOUD_DB = 20.0, 45.0
"""How far below the loudest frame a sound begins, and is still heard."""

_MOST_FRAMES = 16_384
_FRAME_S = 0.0232
_PARTS = (len(_PARTS_S) - 1) * _COEFFICIENTS
SIZE = _PARTS + 2
"""Numbers that describe a sound: coefficients, log2 of its seconds, log2 of its centroid in Hz."""

_TYPICAL, _TYPICAL_OCTAVES = 135.0, 1.6
"""How unlike two sounds of unlike sources typically are, in coefficients and in length."""

_LENGTH_WEIGHT, _BRIGHTNESS_WEIGHT = 0.45, 0.45
"""Weight of the length, and of each octave that one is brighter."""

_HALF = 0.6
"""How unlike sounds are that are called half alike."""


@lru_cache(4)
def mel_matrix(frame: int, rate: int) -> NDArray[np.float32]:
    """Triangles even in mel, shape (bins, bands); empty where the rate does not reach."""
    bins = np.arange(frame // 2 + 1) * rate / frame
    low_mel, high_mel = (2595.0 * np.log10(1.0 + hz / 700.0) for hz in (_LOWEST_HZ, _HIGHEST_HZ))
    mel = np.linspace(low_mel, high_mel, _BANDS + 2)
    edges = 700.0 * (10.0 ** (mel / 2595.0) - 1.0)
    low, mid, high = edges[:-2], edges[1:-1], edges[2:]
    rise = (bins[:, None] - low) / (mid - low)
    fall = (high - bins[:, None]) / (high - mid)
    return np.asarray(np.clip(np.minimum(rise, fall), 0.0, None), np.float32)


class TimbreCollector:
    """Takes a sound in blocks.

    Parameters
    ----------
    frames : int
        Length of the sound, which sets how closely a very long one is looked at.
    rate : int
        Frames a second.
    """

    def __init__(self, frames: int, rate: int) -> None:
        self._rate = rate
        self._frame = 2 ** max(6, round(math.log2(_FRAME_S * rate)))
        self._hop = max(self._frame // 4, math.ceil(frames / _MOST_FRAMES))
        # the first frame lies about the first sample
        self._kept = np.zeros(self._frame // 2, np.float32)
        self._skip = 0
        self._bands: list[NDArray[np.float32]] = []
        self._centroids: list[NDArray[np.float32]] = []
        self._window = np.hanning(self._frame).astype(np.float32)

    def feed(self, mono: NDArray[np.float32]) -> None:
        """Samples, shape (n,)."""
        samples = np.concatenate((self._kept, mono))
        count = max(0, (len(samples) - self._skip - self._frame) // self._hop + 1)
        if count > 0:
            views = np.lib.stride_tricks.sliding_window_view(samples, self._frame)
            self._measure(views[self._skip :: self._hop][:count])
        at = self._skip + count * self._hop
        drop = min(at, len(samples))
        self._kept, self._skip = samples[drop:], at - drop

    def _measure(self, frames: NDArray[np.float32]) -> None:
        power = np.abs(scipy.fft.rfft(frames * self._window, axis=1)) ** 2
        self._bands.append(power @ mel_matrix(self._frame, self._rate))
        octaves = np.log2(np.arange(1, power.shape[1]) * self._rate / self._frame)
        above = power[:, 1:]
        self._centroids.append((above @ octaves) / (above.sum(axis=1) + 1e-20))

    def timbre(self) -> list[float]:
        """:data:`SIZE` numbers; empty for silence."""
        self.feed(np.zeros(self._frame, np.float32))
        power = np.concatenate(self._bands)
        total = power.sum(axis=1)
        level = 10.0 * np.log10(total + 1e-12)
        if level.max() < -60.0:
            return []
        bands = 10.0 * np.log10(power + 1e-12)
        bands = np.maximum(bands - bands.max(), -_FLOOR_DB)
        onset = int(np.argmax(level > level.max() - _ONSET_DB))
        since_s = (np.arange(len(bands)) - onset) * self._hop / self._rate
        parts = [
            _mean(bands[(since_s >= low) & (since_s < high)]) for low, high in pairwise(_PARTS_S)
        ]
        found = scipy.fft.dct(np.array(parts), axis=1, norm="ortho")[:, 1 : _COEFFICIENTS + 1]
        heard = level > level.max() - _LOUD_DB
        seconds = np.log2(heard.sum() * self._hop / self._rate + 0.01)
        centroid = np.average(np.concatenate(self._centroids), weights=total)
        return [round(float(v), 3) for v in (*found.ravel(), seconds, centroid)]


def _mean(bands: NDArray[np.float32]) -> NDArray[Any]:
    return bands.mean(axis=0) if len(bands) else np.full(_BANDS, -_FLOOR_DB)


def timbre(mono: NDArray[np.float32], rate: int) -> list[float]:
    """What a sound of shape (n,) is like: :data:`SIZE` numbers; empty for silence."""
    collector = TimbreCollector(len(mono), rate)
    collector.feed(mono)
    return collector.timbre()


def timbre_of(path: Path) -> list[float]:
    """What the sound in a file is like, read in blocks; raises a BloomError where it cannot be read."""
    info = sound_info(path)
    collector = TimbreCollector(info.frames, info.rate)
    for block in read_blocks(path):
        collector.feed(one_channel(block))
    return collector.timbre()


def timbre_distances(
    one: list[float], others: Sequence[list[float]] | NDArray[np.float32]
) -> NDArray[np.float64]:
    """How unlike each of several sounds is to one: 0 for the same, about 1 for unlike sources.

    Infinite where either has no timbre, as silence has none, or one that was measured otherwise.

    Parameters
    ----------
    others : sequence of lists, or array of shape (n, SIZE)
        As an array, rows of nan for what has no timbre.
    """
    if len(one) != SIZE:
        return np.full(len(others), np.inf)
    rows = others if isinstance(others, np.ndarray) else timbre_rows(others)
    difference = rows - np.array(one, np.float32)
    shape = np.sum(difference[:, :_PARTS] ** 2, axis=1) / _TYPICAL**2
    length = (_LENGTH_WEIGHT * difference[:, _PARTS] / _TYPICAL_OCTAVES) ** 2
    brightness = (_BRIGHTNESS_WEIGHT * difference[:, _PARTS + 1]) ** 2
    far: NDArray[np.float64] = np.sqrt(shape + length + brightness, dtype=np.float64)
    return np.where(np.isnan(far), np.inf, far)


def timbre_rows(timbres: Sequence[list[float]]) -> NDArray[np.float32]:
    """Timbres as rows of an array, shape (n, SIZE); nan where one has none or was measured otherwise."""
    none = [np.nan] * SIZE
    every = [one if len(one) == SIZE else none for one in timbres]
    return np.array(every, np.float32).reshape(-1, SIZE)


def timbre_distance(one: list[float], other: list[float]) -> float:
    """How unlike two sounds are; see :func:`timbre_distances`."""
    return float(timbre_distances(one, [other])[0])


def likeness(distance: float) -> float:
    """A distance as a share: 1 for the same sound, 0.5 for half alike, 0 for nothing in common."""
    return 0.0 if math.isinf(distance) else float(2.0 ** -((distance / _HALF) ** 2))


def brightness_octaves(one: list[float], other: list[float]) -> float:
    """By how many octaves another sound's centre of gravity lies higher; 0 where not known."""
    return other[-1] - one[-1] if len(one) == len(other) == SIZE else 0.0
