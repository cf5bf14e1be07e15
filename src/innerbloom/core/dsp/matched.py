"""Bells and shelves whose responses are those of their analogue prototypes.

Poles are mapped as e^(sT); the numerator is the one of minimum phase whose magnitude is that of
the prototype at three frequencies [1]_. That is done for boosts: a cut is the inverse of the boost
by as much. Prototypes are those of the cookbook [2]_. Up to 18 kHz at a rate of 48 kHz, responses
stay within 0.2 dB of the prototypes', whatever the frequency, gain (to 24 dB) and Q.

References
----------
.. [1] M. Vicanek, "Matched second order digital filters", 2016.
.. [2] R. Bristow-Johnson, "Audio EQ Cookbook", W3C Working Group Note, 2021.
"""

from __future__ import annotations

import math

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.filter import denominator_power, matched_poles, set_structure
from innerbloom.core.dsp.rates import RATE

_FLAT_DB = 1e-6


@borrowing
def _bell_power(a, q, x):
    """|H|^2 of an analogue bell of gain a^2 at x times its centre."""
    real, side = (1.0 - x * x) ** 2, (x / q) ** 2
    return (real + side * a * a) / (real + side / (a * a))


@borrowing
def _shelf_power(a, q, x):
    """|H|^2 of an analogue low shelf of gain a^2 at x times its corner."""
    side = a * (x / q) ** 2
    return a * a * ((a - x * x) ** 2 + side) / ((1.0 - a * x * x) ** 2 + side)


@borrowing
def _set_matched(out, a1, a2, powers, places, inverse):
    """The section with a denominator and a magnitude at 0 Hz and at two other places.

    ``powers`` are |H|^2 at 0 and at ``places``, two angles in radians a sample.
    """
    p0, p1, p2 = powers
    phi1, phi2 = math.sin(0.5 * places[0]) ** 2, math.sin(0.5 * places[1]) ** 2
    d1, low, _ = denominator_power(a1, a2, phi1)
    d2, _, _ = denominator_power(a1, a2, phi2)
    # |B|^2 is c0 + c1 phi + c2 phi^2
    c0 = p0 * low
    r1, r2 = (p1 * d1 - c0) / phi1, (p2 * d2 - c0) / phi2
    c2 = (r2 - r1) / (phi2 - phi1)
    c1 = r1 - c2 * phi1
    at_half_rate = max(c0 + c1 + c2, 0.0)
    half = 0.5 * (math.sqrt(c0) + math.sqrt(at_half_rate))
    b0 = 0.5 * (half + math.sqrt(max(half * half - 0.25 * c2, 0.0)))
    b1 = 0.5 * (math.sqrt(c0) - math.sqrt(at_half_rate))
    b2 = 0.0625 * c2 / b0
    if inverse:
        set_structure(out, b1 / b0, b2 / b0, 1.0 / b0, a1 / b0, a2 / b0)
    else:
        set_structure(out, a1, a2, b0, b1, b2)


@borrowing
def _places(w):
    """Where the magnitude is matched beside 0 Hz."""
    return min(0.6 * w, 0.4 * math.pi), 0.7 * math.pi


@borrowing
def set_bell(out, hz, gain_db, q):
    """Coefficients of a bell, for :func:`.run_section`.

    Parameters
    ----------
    out : float64 array, shape (COEFFICIENTS,)
        Filled.
    hz : float
        Centre, below half the rate.
    gain_db : float
    q : float
        Centre over bandwidth.
    """
    w, a = 2.0 * math.pi * hz / RATE, 10.0 ** (max(abs(gain_db), _FLAT_DB) / 40.0)
    a1, a2 = matched_poles(w, a * q)
    first, second = _places(w)
    powers = (1.0, _bell_power(a, q, first / w), _bell_power(a, q, second / w))
    _set_matched(out, a1, a2, powers, (first, second), gain_db < 0.0)


@borrowing
def set_shelf(out, hz, gain_db, q, high):
    """Coefficients of a low shelf or a high one, for :func:`.run_section`.

    ``hz`` is where it has half its gain in dB; a high shelf is a low one of the opposite gain,
    and level.
    """
    w, a = 2.0 * math.pi * hz / RATE, 10.0 ** (max(abs(gain_db), _FLAT_DB) / 40.0)
    a1, a2 = matched_poles(w / math.sqrt(a), q)
    first, second = _places(w)
    powers = (a**4, _shelf_power(a, q, first / w), _shelf_power(a, q, second / w))
    # a high boost is the inverse of a low boost, raised by as much; a low cut is that inverse
    _set_matched(out, a1, a2, powers, (first, second), (gain_db < 0.0) != high)
    if high:
        level = 10.0 ** (gain_db / 20.0)
        out[3] *= level
        out[4] *= level
        out[5] *= level
