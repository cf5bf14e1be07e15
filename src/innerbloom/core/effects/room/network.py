"""The feedback delay network: sixteen lines, mixed by a Hadamard matrix, a tick at a time.

Every line is longer than a tick, so that a tick of all of them can be read before any is written.

References
----------
.. [1] J.-M. Jot and A. Chaigne, "Digital delay networks for designing artificial reverberators",
   AES Convention 90, 1991.
.. [2] S. J. Schlecht and E. A. P. Habets, "On lossless feedback delay networks", IEEE Transactions
   on Signal Processing 65(6), 2017.
.. [3] M. R. Schroeder, "Natural sounding artificial reverberation", Journal of the Audio
   Engineering Society 10(3), 1962: all-passes that make echoes denser.
"""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.delay_line import ring_size
from innerbloom.core.dsp.rates import RATE, TICK

LINES = 16
_SHORTEST, _LONGEST = 0.55, 1.62
SPEED_M_S = 343.0
LONGEST_M = 60.0
_MEAN_FRAMES_A_METRE = RATE / SPEED_M_S


def _shares() -> np.ndarray:
    """Lengths of the lines against the mean: evenly spread by ratio, but for some unevenness."""
    even = _SHORTEST * (_LONGEST / _SHORTEST) ** (np.arange(LINES) / (LINES - 1))
    uneven = 1.0 + 0.021 * np.sin(1.0 + 2.399963 * np.arange(LINES))
    # neighbours in length do not stand beside each other, so that both sides get all lengths
    order = (np.arange(LINES) * 7) % LINES
    return np.ascontiguousarray((even * uneven)[order])


SHARES = _shares()
SWAY_FRAMES = 18.0
"""How far a line sways at most, to either side."""

_SWAY_HZ = np.ascontiguousarray(0.11 + 0.9 * ((np.arange(LINES) * 0.618034) % 1.0))
RING = ring_size(_LONGEST * 1.03 * LONGEST_M * _MEAN_FRAMES_A_METRE + SWAY_FRAMES + TICK)
_LEFT = np.array([1, 1, -1, 1, -1, -1, 1, -1, 1, -1, -1, -1, 1, 1, -1, 1], np.float32) / 4.0
_RIGHT = np.array([1, -1, 1, 1, 1, -1, -1, -1, -1, -1, 1, -1, 1, -1, 1, 1], np.float32) / 4.0
ALL_PASSES = (113, 199, 337, 547, 787, 1171)
"""Frames of the all-passes ahead of the lines; the other side's are a little longer."""

ALL_PASS_RING = 2048
_MOST_GAIN = 0.75
_DIES_WITHIN = 0.35
"""Share of the room's decay in which each all-pass has died away."""


@borrowing
def frames_of(size, line):
    """Length of a line in a room of a size in metres."""
    return max(SHARES[line] * size * _MEAN_FRAMES_A_METRE, TICK + 4.0 + SWAY_FRAMES)


@borrowing
def sway_of(phase, line, amount):
    """How far a line sways now, in frames."""
    return amount * SWAY_FRAMES * math.sin(2.0 * math.pi * (phase * _SWAY_HZ[line] + 0.37 * line))


@borrowing
def mix_lines(lines):
    """A Hadamard matrix of order 16 across the lines, in place, without gain."""
    step = 1
    while step < LINES:
        for first in range(0, LINES, 2 * step):
            for k in range(first, first + step):
                one, other = lines[k], lines[k + step]
                for i in range(TICK):
                    a, b = one[i], other[i]
                    one[i], other[i] = a + b, a - b
        step *= 2
    for k in range(LINES):
        for i in range(TICK):
            lines[k, i] *= np.float32(0.25)


@borrowing
def sum_lines(left, right, lines):
    """What both sides hear of the lines; the sums are filled."""
    for i in range(TICK):
        left[i] = right[i] = np.float32(0.0)
    for k in range(LINES):
        for i in range(TICK):
            left[i] += _LEFT[k] * lines[k, i]
            right[i] += _RIGHT[k] * lines[k, i]


@borrowing
def write_line(ring, at, fed, line, sides, side):
    """A tick into a line: what comes round, and what goes in."""
    # a ring holds whole ticks: none of them is broken
    here, fresh = ring[at & (len(ring) - 1) :], sides[side]
    sign = np.float32(1.0 if (line // 2) % 2 == 0 else -1.0)
    for i in range(TICK):
        value = fed[i] + sign * fresh[i]
        # no denormals once the sound has gone
        here[i] = value if abs(value) > np.float32(1e-15) else np.float32(0.0)


@borrowing
def diffuse(x, rings, at, amount, decay_s, side):
    """A tick of one side through its all-passes, in place.

    Parameters
    ----------
    amount : float
        Of diffusion, 0..1.
    decay_s : float
        Of the room: no all-pass rings on for longer than a share of it.
    """
    mask = ALL_PASS_RING - 1
    for number in range(len(ALL_PASSES)):
        frames, ring = ALL_PASSES[number] + 22 * side * (number + 1) // 2, rings[number]
        most = 10.0 ** (-3.0 * frames / (RATE * _DIES_WITHIN * decay_s))
        gain = np.float32(min(_MOST_GAIN * amount, most))
        here, first = ring[at & mask :], (at - frames) & mask
        if first <= ALL_PASS_RING - TICK:
            _pass_on(x, here, ring[first:], gain)
            continue
        for i in range(TICK):
            late = ring[(first + i) & mask]
            into = x[i] - gain * late
            here[i] = into if abs(into) > np.float32(1e-15) else np.float32(0.0)
            x[i] = late + gain * into


@borrowing
def _pass_on(x, here, before, gain):
    """A tick of one all-pass in place, where nothing of its ring is broken."""
    for i in range(TICK):
        late = before[i]
        into = x[i] - gain * late
        here[i] = into if abs(into) > np.float32(1e-15) else np.float32(0.0)
        x[i] = late + gain * into
