"""Reading between samples: four taps of a cubic B-spline, arithmetic first and memory after.

The material holds spline coefficients (M. Unser, "Splines: a perfect fit for signal and image
processing", IEEE Signal Processing Magazine 16(6), 1999), so that reading is a weighted sum
of four neighbours. A first pass finds the weights, which compilers turn into vector code; a
second one reads the samples.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.lanes import add_weighed_pair, weighed

_ONE, _TWO, _THREE, _FOUR = np.uint64(1), np.uint64(2), np.uint64(3), np.uint64(4)


class Taps(NamedTuple):
    """Scratch for reading a run of frames.

    weights : float32 array, shape (4 * frames,)
    places : int32 array, shape (frames,)
        Frame of the second of the four taps.
    """

    weights: NDArray[np.float32]
    places: NDArray[np.int32]


class Samples(NamedTuple):
    """Where samples lie.

    audio : float32 array, shape (channels * total,)
        Spline coefficients, interleaved.
    channels : int
    base : int
        The frame of ``audio`` from which an index counts.
    """

    audio: NDArray[np.float32]
    channels: int
    base: int


@borrowing
def put_taps(weights, i, t, gain):
    """Weights of the four samples around a place, ``t`` of the way from the second one on.

    Parameters
    ----------
    weights : float32 array, shape (4 * frames,)
        Filled at the unsigned frame ``i``, times ``gain``.
    t, gain : float32
    """
    sixth = np.float32(1.0 / 6.0)
    one = np.float32(1.0)
    u = one - t
    before = u * u * u * sixth
    here = ((np.float32(3.0) * t - np.float32(6.0)) * t * t + np.float32(4.0)) * sixth
    later = t * t * t * sixth
    k = _FOUR * i
    weights[k] = gain * before
    weights[k + _ONE] = gain * here
    weights[k + _TWO] = gain * (one - before - here - later)
    weights[k + _THREE] = gain * later


@borrowing
def add_taps(out, samples, begin, frames, gains, taps):
    """Add what the taps read to stereo frames of ``out``, from ``begin`` on.

    Parameters
    ----------
    out : float32 array, shape (2 * frames,)
        Stereo, interleaved: one flat array is read a fifth faster than rows of two.
    samples : Samples
    frames : uint64
    gains : (left, right)
        A mono sound in the middle lies 3 dB down in each channel.
    taps : Taps
    """
    audio, base = samples.audio, samples.base
    weights, index = taps.weights, taps.places
    left, right = gains
    start = _TWO * np.uint64(begin)
    if samples.channels == 2:
        both = (np.float32(left), np.float32(right))
        first = _TWO * np.uint64(base - 1)
        for i in range(frames):
            j = first + _TWO * np.uint64(index[i])
            add_weighed_pair(out, start + _TWO * i, both, audio, j, weights, _FOUR * i)
        return
    gain_l, gain_r = np.float32(left * 0.7071067811865476), np.float32(right * 0.7071067811865476)
    first = np.uint64(base - 1)
    for i in range(frames):
        value = weighed(audio, first + np.uint64(index[i]), weights, _FOUR * i)
        k = start + _TWO * i
        out[k] += gain_l * value
        out[k + _ONE] += gain_r * value


@borrowing
def read_tap(audio, base, weights, index, i):
    """One sample of a mono sound, ``i`` unsigned."""
    return weighed(audio, np.uint64(base - 1) + np.uint64(index[i]), weights, _FOUR * i)
