"""The innermost loop: one grain over a stretch of frames.

Grains follow C. Roads, *Microsound*, MIT Press 2001, chapter 3. The window is the
tapered cosine of Tukey (F. J. Harris, "On the use of windows for harmonic analysis with
the discrete Fourier transform", Proc. IEEE 66(1), 1978), its two sides of any lengths.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.memory import prefetch
from innerbloom.core.dsp.taps import add_taps, put_taps

SHORTEST_TAPER = 32.0
"""Frames of fade at a grain's ends that stay even at no softness: audible, not a click."""

_LINE = 16
"""Samples in a line of the cache."""

_P1 = np.float32(1.5707963)
_P3 = np.float32(-0.6459640)
_P5 = np.float32(0.0796926)
_P7 = np.float32(-0.0046817)
_P9 = np.float32(0.00016044)


class Course(NamedTuple):
    """Where a grain reads, in frames of its mip level.

    place, step : float
        At the first frame, and the movement a frame.
    shift : float64 array, shape (frames,); reach : float
        Where another layer moves the place: ``shift * reach`` frames; unused at reach 0.
    last : int
        The last readable frame.
    """

    place: float
    step: float
    shift: NDArray[np.float64]
    reach: float
    last: int


class Window(NamedTuple):
    """A grain's window: frames since it began, its whole length, and the fades at its ends."""

    age: float
    length: float
    rise: float
    fall: float


@borrowing
def taper_gain(x):
    """Raised cosine (1 - cos(pi x)) / 2 for x in 0..1, by a ninth-order sine polynomial."""
    u = np.float32(2.0) * x - np.float32(1.0)
    q = u * u
    sine = u * (_P1 + q * (_P3 + q * (_P5 + q * (_P7 + q * _P9))))
    return np.float32(0.5) + np.float32(0.5) * sine


@borrowing
def window_gain(window):
    """The window at one age, 0..1."""
    x = min(window.age / window.rise, (window.length - window.age) / window.fall, 1.0)
    return np.float64(taper_gain(np.float32(max(x, 0.0))))


@borrowing
def _weigh(taps, frames, course, window):
    """Reading places and spline weights times window: arithmetic only, so it vectorises."""
    weights, index, place, step = taps.weights, taps.places, course.place, course.step
    rising, falling = np.float32(1.0 / window.rise), np.float32(1.0 / window.fall)
    one = np.float32(1.0)
    fade_in = np.float32(window.age)
    fade_out = np.float32(window.length - window.age)
    top = np.float64(course.last)
    for i in range(frames):
        p = min(max(place + i * step, 0.0), top)
        whole = np.int32(p)
        index[i] = whole
        n = np.float32(i)
        x = min(min((fade_in + n) * rising, (fade_out - n) * falling), one)
        gain = taper_gain(max(x, np.float32(0.0)))
        put_taps(weights, i, np.float32(p - whole), gain)


@borrowing
def _weigh_moved(taps, frames, course, window):
    """The same with every place moved by ``shift`` times ``reach``."""
    weights, index, place, step = taps.weights, taps.places, course.place, course.step
    shift, reach = course.shift, course.reach
    age, length, rise, fall = window
    one = np.float32(1.0)
    top = np.float64(course.last)
    for i in range(frames):
        p = min(max(place + i * step + shift[i] * reach, 0.0), top)
        whole = np.int32(p)
        index[i] = whole
        x = np.float32(min(min((age + i) / rise, (length - age - i) / fall), 1.0))
        gain = taper_gain(min(max(x, np.float32(0.0)), one))
        put_taps(weights, i, np.float32(p - whole), gain)


@borrowing
def _ask_ahead(samples, course, distance):
    """Ask memory for what will be read, while weights are reckoned."""
    start, end = course.place, course.place + distance
    low = np.int64(max(min(start, end), 0.0))
    high = np.int64(min(max(start, end), np.float64(course.last)))
    base, channels = samples.base, samples.channels
    for at in range((base + low) * channels, (base + high) * channels + _LINE, _LINE):
        prefetch(samples.audio, at)


@borrowing
def add_grain(out, samples, begin, end, course, window, gains, taps):
    """Add frames ``begin``..``end`` of one grain to ``out``.

    Parameters
    ----------
    out : float32 array, shape (2 * frames,)
        Stereo, interleaved: one flat array is read a fifth faster than rows of two.
    samples : Samples
        The mip level it reads.
    course : Course, from ``begin`` on; window : Window
    gains : (left, right)
    taps : Taps
        Scratch.
    """
    # unsigned indices spare the test for counting from an array's end
    frames = np.uint64(end - begin)
    _ask_ahead(samples, course, course.step * (end - begin))
    if course.reach == 0.0:
        _weigh(taps, frames, course, window)
    else:
        _weigh_moved(taps, frames, course, window)
    add_taps(out, samples, begin, frames, gains, taps)
