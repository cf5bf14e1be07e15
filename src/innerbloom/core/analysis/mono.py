"""One channel from several, for analysis."""

from __future__ import annotations

import numpy as np
import soxr
from numpy.typing import NDArray


def one_channel(block: NDArray[np.float32]) -> NDArray[np.float32]:
    """The mean of the channels of shape (frames, channels), or the first where they cancel."""
    if block.shape[1] == 1:
        return block[:, 0]
    mean = block @ np.full(block.shape[1], 1.0 / block.shape[1], np.float32)
    if _cancels(block, mean):
        return np.ascontiguousarray(block[:, 0])
    return np.ascontiguousarray(mean)


def side_channel(block: NDArray[np.float32]) -> NDArray[np.float32] | None:
    """Half the difference of two channels, whose half sum is :func:`one_channel`.

    None where there are not two, where they are alike, or where they all but cancel.
    """
    if block.shape[1] != 2 or np.array_equal(block[:, 0], block[:, 1]):
        return None
    if _cancels(block, 0.5 * (block[:, 0] + block[:, 1])):
        return None
    return np.ascontiguousarray(0.5 * (block[:, 0] - block[:, 1]))


def _cancels(block: NDArray[np.float32], mean: NDArray[np.float32]) -> bool:
    """Whether the mean of the channels has lost nearly all that the first has."""
    return bool(np.dot(mean, mean) < 0.1 * np.dot(block[:, 0], block[:, 0]))


def mono_at(samples: NDArray[np.float32], rate: float, target: float) -> NDArray[np.float32]:
    """One channel of shape (frames, channels) brought to ``target`` frames a second."""
    mono = one_channel(samples)
    if rate == target or not len(mono):
        return mono
    out: NDArray[np.float32] = soxr.resample(mono, rate, target, quality="MQ")
    return out
