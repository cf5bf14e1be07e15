"""Tiles of a sound's pictures, from what was stored of it or from its samples."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.analysis import spectrogram as sg
from innerbloom.core.analysis.mono import one_channel
from innerbloom.core.errors import BloomError
from innerbloom.core.sound.peaks import BIN, pairs_of

WAVE_COLUMNS = 512
_STORED_WAVE_LEVEL = BIN.bit_length() - 1

Reader = Callable[[int, int], NDArray[np.float32]]
"""``read(first, count)`` gives frames of shape (count or fewer, channels)."""


@dataclass(frozen=True)
class Sounding:
    """What tiles are drawn from.

    Attributes
    ----------
    frames, rate : int
    read : callable
    peaks : ndarray of int16, shape (bins, 2)
        Lowest and highest sample of every :data:`BIN` frames.
    spectrum : ndarray of uint8, shape (2, columns, rows)
        The pyramid of :mod:`innerbloom.core.analysis.spectrogram`.
    """

    frames: int
    rate: int
    read: Reader
    peaks: NDArray[np.int16]
    spectrum: NDArray[np.uint8]


def check_tile(sound: Sounding, level: int, index: int, columns: int, least: int) -> None:
    """Raise a BloomError for a tile that there is not."""
    inside = least <= level <= sg.MOST_LEVEL and 0 <= index << level < max(1, sound.frames)
    if not inside or index * columns << level >= max(1, sound.frames):
        raise BloomError("There is no such part of the picture.")


def wave_tile(sound: Sounding, level: int, index: int) -> NDArray[np.int16]:
    """Lowest and highest sample of up to 512 stretches of ``2**level`` frames, shape (n, 2).

    At level 0 both are the sample itself.
    """
    check_tile(sound, level, index, WAVE_COLUMNS, 0)
    first, last = index * WAVE_COLUMNS << level, (index + 1) * WAVE_COLUMNS << level
    if level >= _STORED_WAVE_LEVEL:
        part = np.asarray(sound.peaks[first // BIN : -(-last // BIN)])
        return _gathered(part, (1 << level) // BIN)
    samples = sound.read(first, min(last, sound.frames) - first)
    return pairs_of(samples, 1 << level)


def _gathered(pairs: NDArray[np.int16], by: int) -> NDArray[np.int16]:
    starts = np.arange(0, len(pairs), by)
    low = np.minimum.reduceat(pairs[:, 0], starts)
    high = np.maximum.reduceat(pairs[:, 1], starts)
    return np.stack((low, high), axis=1)


def spectrum_tile(sound: Sounding, axis: sg.Axis, level: int, index: int) -> NDArray[np.uint8]:
    """Up to 256 columns of ``2**level`` frames, shape (n, ROWS), low frequencies first."""
    check_tile(sound, level, index, sg.COLUMNS, sg.LEAST_LEVEL)
    base = sg.base_level(sound.frames)
    if level >= base:
        columns = -(-sound.frames // (1 << base))
        start, count = sg.level_in_pyramid(columns, level - base)
        first = min(index * sg.COLUMNS, count)
        last = min(first + sg.COLUMNS, count)
        which = sg.AXES.index(axis)
        return np.asarray(sound.spectrum[which, start + first : start + last])
    return _fine_tile(sound, axis, level, index)


def _fine_tile(sound: Sounding, axis: sg.Axis, level: int, index: int) -> NDArray[np.uint8]:
    hop, length = 1 << level, sg.window_length(level)
    first = index * sg.COLUMNS * hop
    count = min(sg.COLUMNS, -(-(sound.frames - first) // hop))
    begin = first - length // 2
    need = count * hop + length
    samples = one_channel(sound.read(max(0, begin), need + min(0, begin)))
    ahead = max(0, -begin)
    padded = np.pad(samples, (ahead, max(0, need - ahead - len(samples))))
    return np.asarray(sg.columns_of(padded, level, count, sound.rate, (axis,))[0])
