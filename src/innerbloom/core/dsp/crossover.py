"""Three bands that add up to what they were split from, but for its phase.

Filters of Linkwitz and Riley of fourth order: two Butterworth sections of second order one after
another. Low and high add up to an all-pass, which the lowest band has to pass for the upper split
too. As trapezoidal state-variable sections (Zavalishin, "The art of VA filter design", 2012), low
and high come from the same two states.

References
----------
.. [1] S. H. Linkwitz, "Active crossover networks for noncoincident drivers", Journal of the Audio
   Engineering Society 24(1), 1976.
"""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.rates import RATE

SECTIONS = 7
"""Of one channel: a first one for each split, then one each for low and high, and the all-pass."""

_DAMP = math.sqrt(2.0)


@borrowing
def tuned(hz):
    """The integrator's gain of a section with a corner."""
    return math.tan(math.pi * min(hz, 0.45 * RATE) / RATE)


@borrowing
def section(x, g, state):
    """One frame through a Butterworth section: what passes low, and what passes high.

    ``g`` is its corner, see :func:`tuned`; ``state`` is of shape (2,).
    """
    high = (x - (_DAMP + g) * state[0] - state[1]) / (1.0 + g * (g + _DAMP))
    band = g * high + state[0]
    state[0] = g * high + band
    low = g * band + state[1]
    state[1] = g * band + low
    return low, high


@borrowing
def split(x, low_g, high_g, state):
    """One frame of one channel as three bands.

    Parameters
    ----------
    x : float
    low_g, high_g : float
        Of both splits; see :func:`tuned`.
    state : float64 array, shape (SECTIONS, 2)
    """
    below, above = section(x, low_g, state[0])
    low, _ = section(below, low_g, state[1])
    _, rest = section(above, low_g, state[2])
    below, above = section(rest, high_g, state[3])
    middle, _ = section(below, high_g, state[4])
    _, high = section(above, high_g, state[5])
    passed_low, passed_high = section(low, high_g, state[6])
    # of the all-pass, only the band part turns over
    bent = passed_low + passed_high
    return 2.0 * bent - low, middle, high


@borrowing
def settle(state):
    """No denormals once the sound has gone."""
    for section in range(SECTIONS):
        for i in range(2):
            if abs(state[section, i]) < 1e-15:
                state[section, i] = np.float64(0.0)
