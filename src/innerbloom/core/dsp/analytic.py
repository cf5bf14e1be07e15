"""A signal and the same a quarter of a turn later, by two chains of all-pass sections.

References
----------
.. [1] R. A. Valenzuela and A. G. Constantinides, "Digital signal processing schemes for efficient
   interpolation and decimation", IEE Proceedings G 130(6), 1983: the coefficients of half-band
   filters of two all-pass paths, in closed form. Turned by a quarter of the rate, such a filter
   lets only positive frequencies pass.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing

SECTIONS = 6
"""Of each of the two chains."""

_TRANSITION = 0.0012
"""Share of the rate at either end where the two are not a quarter of a turn apart: 58 Hz."""


def half_band(count: int, transition: float) -> NDArray[np.float64]:
    """Coefficients of an elliptic half-band filter of two all-pass paths, in rising order."""
    k = math.tan((1.0 - 2.0 * transition) * math.pi / 4.0) ** 2
    root = math.sqrt(math.sqrt(1.0 - k * k))
    e = 0.5 * (1.0 - root) / (1.0 + root)
    q = e * (1.0 + e**4 * (2.0 + e**4 * (15.0 + 150.0 * e**4)))
    order, found = 2 * count + 1, []
    for number in range(1, count + 1):
        top = (
            sum(
                (-1) ** i * q ** (i * (i + 1)) * math.sin((2 * i + 1) * number * math.pi / order)
                for i in range(12)
            )
            * q**0.25
        )
        bottom = 0.5 + sum(
            (-1) ** i * q ** (i * i) * math.cos(2 * i * number * math.pi / order)
            for i in range(1, 12)
        )
        w = (top / bottom) ** 2
        x = math.sqrt((1.0 - w * k) * (1.0 - w / k)) / (1.0 + w)
        found.append((1.0 - x) / (1.0 + x))
    return np.array(found)


_ALL = half_band(2 * SECTIONS, _TRANSITION)
STRAIGHT, TURNED = np.ascontiguousarray(_ALL[0::2]), np.ascontiguousarray(_ALL[1::2])


@borrowing
def _chain(x, coefficients, state):
    """One sample through sections (a - z^-2) / (1 - a z^-2); state of shape (SECTIONS, 4)."""
    for number in range(len(coefficients)):
        one = state[number]
        out = coefficients[number] * (x + one[3]) - one[1]
        one[1], one[0] = one[0], x
        one[3], one[2] = one[2], out
        x = out
    return x


@borrowing
def analytic(x, state):
    """One sample as a signal and the same a quarter of a turn later.

    Parameters
    ----------
    x : float
    state : float64 array, shape (2 * SECTIONS + 1, 4)
    """
    straight = _chain(x, STRAIGHT, state[:SECTIONS])
    late = state[2 * SECTIONS, 0]
    state[2 * SECTIONS, 0] = x
    return straight, _chain(late, TURNED, state[SECTIONS : 2 * SECTIONS])


@borrowing
def settle(state):
    """No denormals once the sound has gone."""
    for i in range(len(state)):
        for k in range(4):
            if abs(state[i, k]) < 1e-15:
                state[i, k] = 0.0
