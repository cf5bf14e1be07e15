"""What a delay line takes away at each pass, so that all frequencies die away as they are set to.

Each line has a gain and two shelves of first order. Their gains are found so that, at 125 Hz,
1 kHz and 4 kHz, a pass takes away what its length asks for: shelves reach into each other, so a
few rounds correct what is still amiss.

References
----------
.. [1] J.-M. Jot and A. Chaigne, "Digital delay networks for designing artificial reverberators",
   AES Convention 90, 1991: decay by a filter in each line, proportional to its length.
.. [2] S. J. Schlecht and E. A. P. Habets, "Accurate reverberation time control in feedback delay
   networks", DAFx 2017: proportional filters, and solving for their gains.
"""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.rates import RATE

PLACES_HZ = (125.0, 1_000.0, 4_000.0)
"""Where decay times are set."""

COEFFICIENTS = 8
"""Of one line: a gain, b0, b1, a1 of the low and the high shelf, and the gain a tick ago."""

_CORNERS = (math.tan(math.pi * 330.0 / RATE), math.tan(math.pi * 2_100.0 / RATE))
_PLACES = np.array([math.tan(math.pi * hz / RATE) ** 2 for hz in PLACES_HZ])
_DB = 20.0 / math.log(10.0)


def _unit_shares() -> np.ndarray:
    """How much of a small gain of each filter, in dB, arrives at each place: rows are places."""
    low = _CORNERS[0] ** 2 / (_CORNERS[0] ** 2 + _PLACES)
    high = _PLACES / (_CORNERS[1] ** 2 + _PLACES)
    return np.stack([np.ones(3), low, high], axis=1)


_SOLVED = np.ascontiguousarray(np.linalg.inv(_unit_shares()))
_ROUNDS = 3
_SILENT_DB = -240.0
"""Nothing is left after a pass that takes away so much; shelves for more would overflow."""


@borrowing
def _low_db(root, place):
    """Gain in dB of the low shelf whose gain at 0 Hz is the square of ``root``."""
    t = _CORNERS[0]
    return 0.5 * _DB * math.log((place + (t * root) ** 2) / (place + (t / root) ** 2))


@borrowing
def _high_db(root, place):
    """Gain in dB of the high shelf whose gain at half the rate is the square of ``root``."""
    t = _CORNERS[1]
    return _DB * (2.0 * math.log(root)) + 0.5 * _DB * math.log(
        (place + (t / root) ** 2) / (place + (t * root) ** 2)
    )


@borrowing
def set_absorption(out, frames, seconds):
    """Coefficients of a line of so many frames, for decay by 60 dB in so many seconds.

    Parameters
    ----------
    out : float64 array, shape (COEFFICIENTS,)
        Filled.
    seconds : (float, float, float)
        At PLACES_HZ.
    """
    gain = low = high = 0.0
    for _ in range(_ROUNDS):
        low_root, high_root = math.exp(0.5 * low / _DB), math.exp(0.5 * high / _DB)
        for row in range(3):
            wanted = max(_SILENT_DB, -60.0 * frames / (RATE * seconds[row]))
            is_now = gain + _low_db(low_root, _PLACES[row]) + _high_db(high_root, _PLACES[row])
            amiss = wanted - is_now
            if row == 0:
                first = amiss
            elif row == 1:
                second = amiss
            else:
                third = amiss
        gain += _SOLVED[0, 0] * first + _SOLVED[0, 1] * second + _SOLVED[0, 2] * third
        low += _SOLVED[1, 0] * first + _SOLVED[1, 1] * second + _SOLVED[1, 2] * third
        high += _SOLVED[2, 0] * first + _SOLVED[2, 1] * second + _SOLVED[2, 2] * third
    # no frequency may grow
    most = max(gain, gain + low, gain + high)
    gain -= max(most, 0.0)
    out[0] = math.exp(gain / _DB)
    root, t = math.exp(0.5 * low / _DB), _CORNERS[0]
    over = 1.0 / (1.0 + t / root)
    out[1], out[2], out[3] = (
        (1.0 + t * root) * over,
        (t * root - 1.0) * over,
        (t / root - 1.0) * over,
    )
    root, t = math.exp(0.5 * high / _DB), _CORNERS[1]
    over, top = 1.0 / (1.0 + t * root), root * root
    out[4], out[5] = top * (1.0 + t / root) * over, top * (t / root - 1.0) * over
    out[6] = (t * root - 1.0) * over


@borrowing
def absorb(x, c, state):
    """A tick of one line in place; state of shape (2,)."""
    b0, b1, a1, h0, h1, p1 = c[1], c[2], c[3], c[4], c[5], c[6]
    g, step = c[7], (c[0] - c[7]) / len(x)
    s1, s2 = state[0], state[1]
    # each state depends on its last one by a single product, which is soonest done
    of_input, of_between = b1 - a1 * b0, h1 - p1 * h0
    for i in range(len(x)):
        g += step
        value = g * x[i]
        between = b0 * value + s1
        s1 = of_input * value - a1 * s1
        x[i] = np.float32(h0 * between + s2)
        s2 = of_between * between - p1 * s2
    c[7] = c[0]
    state[0] = s1 if abs(s1) > 1e-15 else 0.0
    state[1] = s2 if abs(s2) > 1e-15 else 0.0
