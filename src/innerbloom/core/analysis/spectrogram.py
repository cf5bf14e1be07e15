"""The picture of a spectrum over time, in tiles of fixed size at octave-spaced zoom levels.

A tile of level L has :data:`COLUMNS` columns of ``2**L`` frames each, and :data:`ROWS` rows
from low to high frequency. Levels from :func:`base_level` up are made once for a whole file,
halved by mean power; finer ones are computed from the samples when they are looked at.
Windows: Hann (F. J. Harris, Proc. IEEE 66(1), 1978), longer where a column is longer.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.analysis.mono import one_channel

Axis = Literal["log", "linear"]
AXES: tuple[Axis, ...] = ("log", "linear")
ROWS = 256
COLUMNS = 256
LOWEST_HZ = 20.0
FLOOR_DB, STEP_DB = -120.0, 0.5
"""A stored byte b means FLOOR_DB + STEP_DB * b, relative to a full-scale sine."""

LEAST_LEVEL, MOST_LEVEL = 3, 26
_SHORTEST, _LONGEST = 1024, 8192
_BASE_COLUMNS = 1 << 14
_SUB_HOP = 4096
_AT_ONCE = 128
_HALVED_AT_ONCE = 2048


def base_level(frames: int) -> int:
    """The finest level that is made once for a whole file: at most 16384 columns."""
    return max(11, int(np.ceil(np.log2(max(1, frames) / _BASE_COLUMNS))))


def window_length(level: int) -> int:
    """Frames under the window at a level: eight columns, within 1024 and 8192."""
    return min(_LONGEST, max(_SHORTEST, 8 << level))


@dataclass(frozen=True)
class RowMap:
    """How bins of a spectrum become rows: the strongest of a range, or between two bins."""

    starts: NDArray[np.intp]
    wide: NDArray[np.bool_]
    low: NDArray[np.intp]
    share: NDArray[np.float32]


def row_hz(rate: float, axis: Axis) -> NDArray[np.float64]:
    """Centre frequencies of the rows in Hz, from low to high."""
    top = rate / 2.0
    if axis == "linear":
        return (np.arange(ROWS) + 0.5) * top / ROWS
    return np.asarray(LOWEST_HZ * (top / LOWEST_HZ) ** ((np.arange(ROWS) + 0.5) / ROWS))


@lru_cache(64)
def _row_map(rate: float, length: int, axis: Axis) -> RowMap:
    top, width = rate / 2.0, rate / length
    shares = np.arange(ROWS + 1) / ROWS
    edges = top * shares if axis == "linear" else LOWEST_HZ * (top / LOWEST_HZ) ** shares
    bins = edges / width
    starts = np.minimum(np.floor(bins[:-1]).astype(np.intp), length // 2)
    centre = np.minimum(row_hz(rate, axis) / width, length / 2 - 1)
    low = np.floor(centre).astype(np.intp)
    return RowMap(starts, np.diff(bins) >= 1.0, low, (centre - low).astype(np.float32))


def power_spectra(frames: NDArray[np.float32]) -> NDArray[np.float32]:
    """Power in bins of frames of shape (n, length) under a window; a full-scale sine gives 1."""
    length = frames.shape[1]
    window = np.hanning(length + 1)[:-1].astype(np.float32)
    bins = scipy.fft.rfft(frames * window, axis=1)
    return np.asarray((bins.real**2 + bins.imag**2) * np.float32((4.0 / length) ** 2))


def as_rows(power: NDArray[np.float32], rate: float, axis: Axis) -> NDArray[np.float32]:
    """Bins of shape (n, length // 2 + 1) as rows of shape (n, ROWS)."""
    rows = _row_map(rate, 2 * (power.shape[1] - 1), axis)
    strongest = np.maximum.reduceat(power, rows.starts, axis=1)
    between = power[:, rows.low] * (1 - rows.share) + power[:, rows.low + 1] * rows.share
    return np.where(rows.wide, strongest, between)


def to_bytes(power: NDArray[np.floating]) -> NDArray[np.uint8]:
    """Power as stored bytes."""
    db = 10.0 * np.log10(np.maximum(power, 1e-13))
    return np.asarray(np.clip(np.round((db - FLOOR_DB) / STEP_DB), 0, 255), np.uint8)


def columns_of(
    samples: NDArray[np.float32],
    level: int,
    count: int,
    rate: float,
    axes: tuple[Axis, ...] = AXES,
) -> NDArray[np.uint8]:
    """Columns of one channel that starts half a window ahead of the first column's middle.

    Parameters
    ----------
    samples : ndarray, shape (frames,)
        At least ``count * 2**level + window`` frames, where ``window`` is
        :func:`window_length`.

    Returns
    -------
    ndarray of uint8, shape (axes, count, ROWS)
    """
    hop, length = 1 << level, window_length(level)
    parts = max(1, hop // _SUB_HOP)
    starts = (np.arange(count * parts) * (hop // parts)).astype(np.intp)
    windows = np.lib.stride_tricks.sliding_window_view(samples, length)
    out = np.empty((len(axes), len(starts), ROWS), np.float32)
    for first in range(0, len(starts), _AT_ONCE):
        power = power_spectra(windows[starts[first : first + _AT_ONCE]])
        for index, axis in enumerate(axes):
            out[index, first : first + _AT_ONCE] = as_rows(power, rate, axis)
    return to_bytes(out.reshape(len(axes), count, parts, ROWS).mean(axis=2))


class BaseCollector:
    """Gathers the coarse levels of both axes from a stream of blocks.

    Parameters
    ----------
    frames : int
        Length of the whole file.
    rate : float
    """

    def __init__(self, frames: int, rate: float) -> None:
        self.level = base_level(frames)
        self._rate = rate
        self._columns = -(-max(1, frames) // (1 << self.level))
        self._kept = np.zeros(window_length(self.level) // 2, np.float32)
        self._out: list[NDArray[np.uint8]] = []

    def feed(self, block: NDArray[np.float32]) -> None:
        """Take in a block of shape (frames, channels)."""
        self._take(one_channel(block))

    def _take(self, mono: NDArray[np.float32]) -> None:
        self._kept = np.concatenate((self._kept, mono))
        hop, length = 1 << self.level, window_length(self.level)
        count = (len(self._kept) - length) // hop
        if count < 1:
            return
        self._out.append(columns_of(self._kept, self.level, count, self._rate))
        self._kept = self._kept[count * hop :]

    def columns(self) -> NDArray[np.uint8]:
        """All columns, shape (2, columns, ROWS): log rows, then linear ones."""
        hop, length = 1 << self.level, window_length(self.level)
        missing = self._columns - sum(piece.shape[1] for piece in self._out)
        if missing > 0:
            need = (missing + 1) * hop + length - len(self._kept)
            self._take(np.zeros(max(0, need), np.float32))
        return np.concatenate(self._out, axis=1)[:, : self._columns]


def pyramid(columns: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """All coarser levels of columns of shape (axes, n, ROWS), one after another along n."""
    count = columns.shape[1]
    total, _ = level_in_pyramid(count, 64)
    out = np.empty((columns.shape[0], total + 1, ROWS), np.uint8)
    out[:, :count] = columns
    first = 0
    while count > 1:
        half = -(-count // 2)
        for at in range(0, count, _HALVED_AT_ONCE):
            last = min(count, at + _HALVED_AT_ONCE)
            target = first + count + at // 2
            for axis in out:
                axis[target : target + -(-(last - at) // 2)] = halved(
                    axis[first + at : first + last]
                )
        first, count = first + count, half
    return out


def level_in_pyramid(columns: int, steps: int) -> tuple[int, int]:
    """Where the level ``steps`` above the base of ``columns`` begins, and its columns."""
    first = 0
    for _ in range(steps):
        if columns == 1:
            break
        first += columns
        columns = -(-columns // 2)
    return first, columns


def halved(columns: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """The next coarser level: pairs of columns of shape (n, ROWS) by mean power."""
    even = columns if len(columns) % 2 == 0 else np.concatenate((columns, columns[-1:]))
    power = 10.0 ** ((even.astype(np.float32) * STEP_DB + FLOOR_DB) / 10.0)
    return to_bytes(power.reshape(-1, 2, even.shape[1]).mean(axis=1))
