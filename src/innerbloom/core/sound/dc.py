"""What lies below hearing: an offset, and movement slower than any sound."""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray

_LOWEST_HZ = 14.0
_SLOW_RATE = 400.0
_COUNTS_DB = -40.0
_FILTER = (2, _LOWEST_HZ)
"""Order and corner."""

_DETECTED = (4, 9.0)
"""Steeper and lower, so that a bass does not count."""

_EDGE_S = 0.1
"""What a filter makes of a sound's ends does not count either."""


def without_dc(samples: NDArray[np.float32], rate: float) -> NDArray[np.float32]:
    """Samples of shape (frames, channels) without offset and rumble below 14 Hz.

    Grains, loops and fades turn what cannot be heard by itself into a thump. The filter has no delay
    in any band; a sound with less than a hundredth of its amplitude down there is given back as it
    is, bit by bit.
    """
    heard = np.sqrt(np.mean(np.square(samples, dtype=np.float64)))
    found = _slow_part(samples, rate, _DETECTED)
    edge = min(round(_EDGE_S * _SLOW_RATE), len(found) // 4)
    found = found[edge : len(found) - edge]
    if np.sqrt(np.mean(found**2)) <= 10.0 ** (_COUNTS_DB / 20.0) * heard:
        return samples
    slow = _slow_part(samples, rate, _FILTER)
    step = _step(rate)
    centres = (np.arange(len(slow)) + 0.5) * step - 0.5
    frames = np.arange(len(samples))
    out = np.empty_like(samples)
    for channel in range(samples.shape[1]):
        out[:, channel] = samples[:, channel] - np.interp(frames, centres, slow[:, channel])
    return out


def _step(rate: float) -> int:
    return max(1, round(rate / _SLOW_RATE))


def _slow_part(
    samples: NDArray[np.float32], rate: float, low_pass: tuple[int, float]
) -> NDArray[np.float64]:
    """The slow part at about 400 values a second, shape (n, channels)."""
    step = _step(rate)
    count = max(1, -(-len(samples) // step))
    padded = np.pad(samples, ((0, count * step - len(samples)), (0, 0)), mode="edge")
    means = padded.reshape(count, step, -1).mean(axis=1, dtype=np.float64)
    reach = min(count - 1, round(_SLOW_RATE / _LOWEST_HZ * 3))
    sos = scipy.signal.butter(*low_pass, fs=_SLOW_RATE, output="sos")
    return np.asarray(scipy.signal.sosfiltfilt(sos, means, axis=0, padtype="even", padlen=reach))
