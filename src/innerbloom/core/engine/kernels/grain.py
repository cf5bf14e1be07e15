"""The innermost loop: one grain over a stretch of frames.

Grains follow C. Roads, *Microsound*, MIT Press 2001, chapter 3. The window is the
tapered cosine of Tukey (F. J. Harris, "On the use of windows for harmonic analysis with
the discrete Fourier transform", Proc. IEEE 66(1), 1978).
"""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import kernel

SHORTEST_TAPER = 32.0
"""Frames of fade at a grain's ends that stay even at no softness: audible, not a click."""

_ONE = np.uint64(1)
_P1 = np.float32(1.5707963)
_P3 = np.float32(-0.6459640)
_P5 = np.float32(0.0796926)
_P7 = np.float32(-0.0046817)
_P9 = np.float32(0.00016044)


@kernel
def taper_gain(x):
    """Raised cosine (1 - cos(pi x)) / 2 for x in 0..1, by a ninth-order sine polynomial."""
    u = np.float32(2.0) * x - np.float32(1.0)
    q = u * u
    sine = u * (_P1 + q * (_P3 + q * (_P5 + q * (_P7 + q * _P9))))
    return np.float32(0.5) + np.float32(0.5) * sine


@kernel
def _weigh(weights, index, frames, last, place, step, age, length, taper):
    """Reading places and spline weights times window: arithmetic only, so it vectorises."""
    inverse = np.float32(1.0 / taper)
    sixth = np.float32(1.0 / 6.0)
    one = np.float32(1.0)
    fade_in = np.float32(age)
    fade_out = np.float32(length - age)
    top = np.float64(last)
    for i in range(frames):
        p = min(max(place + i * step, 0.0), top)
        whole = np.int32(p)
        index[i] = whole
        t = np.float32(p - whole)
        u = one - t
        n = np.float32(i)
        x = min(min((fade_in + n) * inverse, (fade_out - n) * inverse), one)
        window = taper_gain(max(x, np.float32(0.0)))
        before = u * u * u * sixth
        here = ((np.float32(3.0) * t - np.float32(6.0)) * t * t + np.float32(4.0)) * sixth
        later = t * t * t * sixth
        weights[0, i] = window * before
        weights[1, i] = window * here
        weights[2, i] = window * (one - before - here - later)
        weights[3, i] = window * later


@kernel
def add_grain(
    out, audio, base, last, begin, end, place, step, age, length, taper, left, right, weights, index
):
    """Add frames ``begin``..``end`` of one grain to ``out``.

    Parameters
    ----------
    out : float32 array, shape (2 * frames,)
        Stereo, interleaved: one flat array is read a fifth faster than rows of two.
    audio : float32 array, shape (2 * total,)
        Spline coefficients of all copies of the material, interleaved.
    base, last : int
        First frame of the copy in ``audio`` and its last readable frame, counted from it.
    place, step : float
        Reading place in frames of the copy at ``begin``, and movement a frame.
    age, length, taper : float
        Frames since the grain began, its whole length, and the fade at either end.
    left, right : float
        Gains.
    weights : float32 array, shape (4, frames); index : int32 array, shape (frames,)
        Scratch.
    """
    frames = np.uint64(end - begin)
    _weigh(weights, index, frames, last, place, step, age, length, taper)
    gain_l = np.float32(left)
    gain_r = np.float32(right)
    # unsigned indices spare the test for counting from an array's end
    two, three = np.uint64(2), np.uint64(3)
    first = two * np.uint64(base - 1)
    start = two * np.uint64(begin)
    for i in range(frames):
        j = first + two * np.uint64(index[i])
        k = start + two * i
        j1, j2, j3 = j + two, j + two + two, j + three * two
        a, b, c, d = weights[0, i], weights[1, i], weights[2, i], weights[3, i]
        left_sum = a * audio[j] + b * audio[j1] + c * audio[j2] + d * audio[j3]
        right_sum = (
            a * audio[j + _ONE] + b * audio[j1 + _ONE] + c * audio[j2 + _ONE] + d * audio[j3 + _ONE]
        )
        out[k] += gain_l * left_sum
        out[k + _ONE] += gain_r * right_sum
