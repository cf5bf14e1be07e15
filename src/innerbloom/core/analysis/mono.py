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
    if np.dot(mean, mean) < 0.1 * np.dot(block[:, 0], block[:, 0]):
        return np.ascontiguousarray(block[:, 0])
    return np.ascontiguousarray(mean)


def mono_at(samples: NDArray[np.float32], rate: float, target: float) -> NDArray[np.float32]:
    """One channel of shape (frames, channels) brought to ``target`` frames a second."""
    mono = one_channel(samples)
    if rate == target or not len(mono):
        return mono
    out: NDArray[np.float32] = soxr.resample(mono, rate, target, quality="MQ")
    return out
