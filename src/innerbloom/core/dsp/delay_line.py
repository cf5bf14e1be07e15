"""Delay lines: rings of samples, read between samples by a cubic.

References
----------
.. [1] T. I. Laakso, V. Valimaki, M. Karjalainen and U. K. Laine, "Splitting the unit delay", IEEE
   Signal Processing Magazine 13(1), 1996: Lagrange interpolation of third order.
"""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.rates import TICK


def ring_size(seconds_frames: float) -> int:
    """The power of two that holds so many frames and a few more for reading between samples."""
    return 1 << math.ceil(math.log2(seconds_frames + 8))


@borrowing
def read_cubic(ring, at, frames):
    """What was written so many frames before place ``at``.

    Parameters
    ----------
    ring : float32 array; its length is a power of two
    at : int
        Place of the newest sample, counted on without end.
    frames : float
        Delay, 1 at least.
    """
    mask = len(ring) - 1
    whole = math.floor(frames)
    x = frames - whole
    first = at - np.int64(whole)
    newer, here = ring[(first + 1) & mask], ring[first & mask]
    older, oldest = ring[(first - 1) & mask], ring[(first - 2) & mask]
    low, high, far = x + 1.0, x - 1.0, x - 2.0
    return (
        -newer * (x * high * far) / 6.0
        + here * (low * high * far) / 2.0
        - older * (low * x * far) / 2.0
        + oldest * (low * x * high) / 6.0
    )


@borrowing
def read_cubic_ramp(out, span, part, step):
    """A stretch whose delay moves straight on, within one frame: :func:`read_cubic` as vector code.

    Parameters
    ----------
    out : float32 array, shape (frames,)
        Filled.
    span : float32 array, shape (frames + 3,)
        What was written, unbroken, from two frames before the first to one after the last.
    part : float
        Of a frame, by which the delay was longer than a whole number before the first; it stays
        within 0..1.
    step : float
        By how much it grows from frame to frame.
    """
    oldest, older, here, newer = span, span[1:], span[2:], span[3:]
    for i in range(len(out)):
        x = np.float32(part + step * (i + 1))
        low, high = x + np.float32(1.0), x - np.float32(1.0)
        far = x - np.float32(2.0)
        out[i] = np.float32(0.5) * high * far * (
            low * here[i] - np.float32(1.0 / 3.0) * x * newer[i]
        ) + np.float32(0.5) * low * x * (np.float32(1.0 / 3.0) * high * oldest[i] - far * older[i])


@borrowing
def read_line(out, ring, at, frames, to):
    """A tick of a line whose delay moves straight on.

    Parameters
    ----------
    out : float32 array, shape (TICK,)
        Filled.
    ring : float32 array; its length is a power of two
    at : int
        Place of the tick's first sample, counted on without end.
    frames, to : float
        Delay before the tick and at its end, two frames longer than a tick at least.
    """
    step, mask = (to - frames) / TICK, len(ring) - 1
    whole = math.floor(frames + step)
    first = (at - np.int64(whole)) & mask
    if whole == math.floor(to) and 2 <= first < len(ring) - TICK:
        read_cubic_ramp(out, ring[first - 2 : first + TICK + 1], frames - whole, step)
        return
    for i in range(TICK):
        frames += step
        out[i] = np.float32(read_cubic(ring, at + i, frames))


@borrowing
def glide(state, aim, share):
    """One tick of a delay on its way to another: it sets off and arrives without a jerk.

    Parameters
    ----------
    state : float64 array, shape (2,)
        What it is on its way to, and what it is: two poles one after another.
    share : float
        Of the way, made by each in a tick.
    """
    state[0] += share * (aim - state[0])
    state[1] += share * (state[0] - state[1])
    if abs(aim - state[1]) < 1e-4 and abs(aim - state[0]) < 1e-4:
        state[0] = state[1] = aim
