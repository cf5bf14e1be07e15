"""The innermost loop: one grain over a stretch of frames.

Grains follow C. Roads, *Microsound*, MIT Press 2001, chapter 3. The window is the
tapered cosine of Tukey (F. J. Harris, "On the use of windows for harmonic analysis with
the discrete Fourier transform", Proc. IEEE 66(1), 1978), its two sides of any lengths.
"""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.engine.kernels.memory import prefetch
from innerbloom.core.engine.kernels.taps import add_taps, put_taps

SHORTEST_TAPER = 32.0
"""Frames of fade at a grain's ends that stay even at no softness: audible, not a click."""

_LINE = 16
"""Samples in a line of the cache."""

_P1 = np.float32(1.5707963)
_P3 = np.float32(-0.6459640)
_P5 = np.float32(0.0796926)
_P7 = np.float32(-0.0046817)
_P9 = np.float32(0.00016044)


@borrowing
def taper_gain(x):
    """Raised cosine (1 - cos(pi x)) / 2 for x in 0..1, by a ninth-order sine polynomial."""
    u = np.float32(2.0) * x - np.float32(1.0)
    q = u * u
    sine = u * (_P1 + q * (_P3 + q * (_P5 + q * (_P7 + q * _P9))))
    return np.float32(0.5) + np.float32(0.5) * sine


@borrowing
def _weigh(weights, index, frames, last, place, step, age, length, rise, fall):
    """Reading places and spline weights times window: arithmetic only, so it vectorises."""
    rising, falling = np.float32(1.0 / rise), np.float32(1.0 / fall)
    one = np.float32(1.0)
    fade_in = np.float32(age)
    fade_out = np.float32(length - age)
    top = np.float64(last)
    for i in range(frames):
        p = min(max(place + i * step, 0.0), top)
        whole = np.int32(p)
        index[i] = whole
        n = np.float32(i)
        x = min(min((fade_in + n) * rising, (fade_out - n) * falling), one)
        window = taper_gain(max(x, np.float32(0.0)))
        put_taps(weights, i, np.float32(p - whole), window)


@borrowing
def _weigh_moved(weights, index, frames, last, place, step, moved, reach, age, length, rise, fall):
    """The same with every place moved: ``moved`` times ``reach`` frames of the copy."""
    one = np.float32(1.0)
    top = np.float64(last)
    for i in range(frames):
        p = min(max(place + i * step + moved[i] * reach, 0.0), top)
        whole = np.int32(p)
        index[i] = whole
        x = np.float32(min(min((age + i) / rise, (length - age - i) / fall), 1.0))
        window = taper_gain(min(max(x, np.float32(0.0)), one))
        put_taps(weights, i, np.float32(p - whole), window)


@borrowing
def _ask_ahead(audio, channels, base, last, place, distance):
    """Ask memory for what will be read, while weights are reckoned."""
    start, end = place, place + distance
    low = np.int64(max(min(start, end), 0.0))
    high = np.int64(min(max(start, end), np.float64(last)))
    for at in range((base + low) * channels, (base + high) * channels + _LINE, _LINE):
        prefetch(audio, at)


@borrowing
def add_grain(
    out, audio, channels, base, last, begin, end, place, step, moved, reach,
    age, length, rise, fall, left, right, weights, index,
):  # fmt: skip
    """Add frames ``begin``..``end`` of one grain to ``out``.

    Parameters
    ----------
    out : float32 array, shape (2 * frames,)
        Stereo, interleaved: one flat array is read a fifth faster than rows of two.
    audio : float32 array, shape (channels * total,)
        Spline coefficients of all copies of the material, interleaved.
    channels : int
    base, last : int
        First frame of the copy in ``audio`` and its last readable frame, counted from it.
    place, step : float
        Reading place in frames of the copy at ``begin``, and movement a frame.
    moved : float64 array, shape (frames,); reach : float
        Where another layer moves the place: ``moved * reach`` frames; unused at reach 0.
    age, length, rise, fall : float
        Frames since the grain began, its whole length, and the fades at its ends.
    left, right : float
        Gains.
    weights : float32 array, shape (4 * frames,); index : int32 array, shape (frames,)
        Scratch.
    """
    # unsigned indices spare the test for counting from an array's end
    frames = np.uint64(end - begin)
    _ask_ahead(audio, channels, base, last, place, step * (end - begin))
    if reach == 0.0:
        _weigh(weights, index, frames, last, place, step, age, length, rise, fall)
    else:
        shift = moved[begin:]
        _weigh_moved(
            weights, index, frames, last, place, step, shift, reach, age, length, rise, fall
        )
    add_taps(out, audio, channels, base, begin, frames, left, right, weights, index)
