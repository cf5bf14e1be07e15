"""The state-variable filter: low to band to high-pass to notch without a step.

The structure is the trapezoidal state-variable filter (V. Zavalishin, "The art of VA filter
design", 2012; A. Simper, "Linear trapezoidal integrated SVF", 2013), which stays sound while
it is moved. Its coefficients do not come from the bilinear transform, which would bend the
response well below the Nyquist frequency, but from poles mapped as e^(sT) and zeros that match
the analogue magnitude, after M. Vicanek, "Matched second order digital filters", 2016.
"""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing, inlined
from innerbloom.core.dsp.rates import RATE, TICK

COEFFICIENTS = 6
"""Of one section: three of the structure and three of the mix."""

_SHARPEST = 30.0
_QS = ((math.sqrt(0.5), 0.0), (0.541196100146197, 1.306562964876377))
"""Q of the sections at no resonance: Butterworth of second and of fourth order."""


@borrowing
def section_q(steep, section, resonance):
    """Q of a section at a resonance of 0..100 %; of two, only the second resonates."""
    q = _QS[steep][section]
    if steep == 1 and section == 0:
        return q
    return q * (_SHARPEST / q) ** (0.01 * resonance)


@borrowing
def numerator(blend):
    """Weights of high-, band- and low-pass at a filter shape of 0..3."""
    if blend <= 1.0:
        return 0.0, blend, 1.0 - blend
    if blend <= 2.0:
        return blend - 1.0, 2.0 - blend, 0.0
    return 1.0, 0.0, blend - 2.0


@borrowing
def _analogue_power(a, b, c, q, x):
    """|H|^2 of the analogue section at x times its corner."""
    real = c - a * x * x
    side = 1.0 - x * x
    return (real * real + b * b * x * x) / (side * side + x * x / (q * q))


@borrowing
def matched_poles(w, q):
    """Denominator with the analogue poles at z = e^(sT)."""
    damp = 0.5 / q
    decay = math.exp(-damp * w)
    if damp < 1.0:
        a1 = -2.0 * decay * math.cos(math.sqrt(1.0 - damp * damp) * w)
    else:
        a1 = -2.0 * decay * math.cosh(math.sqrt(damp * damp - 1.0) * w)
    return a1, decay * decay


@borrowing
def denominator_power(a1, a2, phi):
    """|D|^2 at phi = sin^2(frequency / 2), and its constant and linear terms there at 0."""
    low, high = (1.0 + a1 + a2) ** 2, (1.0 - a1 + a2) ** 2
    linear = high - low - 16.0 * a2
    return low + linear * phi + 16.0 * a2 * phi * phi, low, linear


@borrowing
def set_section(out, cutoff, q, blend):
    """Coefficients of one section, written to ``out`` of shape (6,)."""
    w = 2.0 * math.pi * min(cutoff, 0.45 * RATE) / RATE
    a, b, c = numerator(blend)
    a1, a2 = matched_poles(w, q)
    # matched at a quarter of the rate, or at the corner above it
    there = max(w, 0.5 * math.pi)
    if a > 0.0 and b == 0.0:
        b0, b1, b2 = _with_zeros(a1, a2, c, q, w, there)
    else:
        b0, b1, b2 = _smooth(a1, a2, a, b, c, q, w, there)
    set_structure(out, a1, a2, b0, b1, b2)


@borrowing
def _smooth(a1, a2, a, b, c, q, w, there):
    """Numerator that matches level and bend at 0 Hz, and the level at ``there``.

    |B|^2 is a polynomial of second degree in sin^2 of half the frequency; so is |D|^2, and
    their quotient is matched to the analogue one term by term, then factored.
    """
    phi = math.sin(0.5 * there) ** 2
    power, low, linear = denominator_power(a1, a2, phi)
    p0 = c * c * low
    bend = b * b - 2.0 * a * c - c * c * (1.0 / (q * q) - 2.0)
    p1 = c * c * linear + low * 4.0 / (w * w) * bend
    p2 = (_analogue_power(a, b, c, q, there / w) * power - p0 - p1 * phi) / (phi * phi)
    top = max(p0 + p1 + p2, 0.0)
    half = 0.5 * (math.sqrt(p0) + math.sqrt(top))
    b0 = max(0.5 * (half + math.sqrt(max(half * half - 0.25 * p2, 0.0))), 1e-12)
    b1 = 0.5 * (math.sqrt(p0) - math.sqrt(top))
    return b0, b1, 0.0625 * p2 / b0


@borrowing
def _with_zeros(a1, a2, c, q, w, there):
    """Numerator of high-pass to notch: zeros where the analogue section has them.

    The gain is matched above for a high-pass, at 0 Hz for a notch, and between for between.
    """
    zero = math.cos(w * math.sqrt(c))
    if abs(2.0 * math.cos(there) - 2.0 * zero) < 0.2:
        there = 0.95 * math.pi
    power, low, _ = denominator_power(a1, a2, math.sin(0.5 * there) ** 2)
    above = math.sqrt(_analogue_power(1.0, 0.0, c, q, there / w) * power)
    gain = above / abs(2.0 * math.cos(there) - 2.0 * zero)
    if c > 0.0:
        below = c * math.sqrt(low) / (2.0 - 2.0 * zero)
        gain = below**c * gain ** (1.0 - c)
    return gain, -2.0 * gain * zero, gain


@borrowing
def set_structure(out, a1, a2, b0, b1, b2):
    """A transfer function as the structure's coefficients and mix."""
    d = 4.0 / (1.0 - a1 + a2)
    g = math.sqrt(max((1.0 + a1 + a2) / (1.0 - a1 + a2), 1e-18))
    k = (1.0 - a2) * d / (2.0 * g)
    high = d * (b0 - b1 + b2) / 4.0
    band = d * (b0 - b2) / (2.0 * g)
    low = d * (b0 + b1 + b2) / (4.0 * g * g)
    first = 1.0 / (1.0 + g * (g + k))
    out[0], out[1], out[2] = first, g * first, g * g * first
    out[3], out[4], out[5] = high, band - high * k, low - high


@inlined
def _step(x, j, other, c, s):
    """One frame in place, both channels by the coefficients ``c``; gives the states that follow ``s``."""
    a, b, g, m0, m1, m2 = c
    s1, s2, r1, r2 = s
    value, beside = np.float64(x[j]), np.float64(x[j + other])
    rest, over = value - s2, beside - r2
    v1, w1 = a * s1 + b * rest, a * r1 + b * over
    v2, w2 = s2 + b * s1 + g * rest, r2 + b * r1 + g * over
    x[j + other] = np.float32(m0 * beside + m1 * w1 + m2 * w2)
    x[j] = np.float32(m0 * value + m1 * v1 + m2 * v2)
    return 2.0 * v1 - s1, 2.0 * v2 - s2, 2.0 * w1 - r1, 2.0 * w2 - r2


@borrowing
def _steady(x, at, channels, c, state):
    """A tick with coefficients that stay; two channels side by side keep the processor busy."""
    still = (c[0], c[1], c[2], c[3], c[4], c[5])
    s = (state[0, 0], state[0, 1], state[1, 0], state[1, 1])
    other = np.uint64(channels - 1)
    for i in range(TICK):
        s = _step(x, np.uint64(at + i * channels), other, still, s)
    _keep(state, s)


@borrowing
def _moving(x, at, channels, old, new, state):
    """A tick with coefficients that move straight from ``old`` to ``new``."""
    a, b, g, m0, m1, m2 = old[0], old[1], old[2], old[3], old[4], old[5]
    per = 1.0 / TICK
    da, db, dg = (new[0] - a) * per, (new[1] - b) * per, (new[2] - g) * per
    e0, e1, e2 = (new[3] - m0) * per, (new[4] - m1) * per, (new[5] - m2) * per
    s = (state[0, 0], state[0, 1], state[1, 0], state[1, 1])
    other = np.uint64(channels - 1)
    for i in range(TICK):
        a, b, g = a + da, b + db, g + dg
        m0, m1, m2 = m0 + e0, m1 + e1, m2 + e2
        s = _step(x, np.uint64(at + i * channels), other, (a, b, g, m0, m1, m2), s)
    _keep(state, s)


@borrowing
def _keep(state, s):
    """Remember; no denormals once the sound has gone."""
    for n in range(4):
        state[n // 2, n % 2] = s[n] if abs(s[n]) > 1e-15 else 0.0


@borrowing
def run_section(x, at, channels, old, new, state):
    """Filter a tick in place; coefficients move straight from ``old`` to ``new``.

    Parameters
    ----------
    x : float32 array
        Samples from ``at`` on, of one channel or two, interleaved.
    old, new : float64 arrays, shape (6,)
    state : float64 array, shape (2, 2)
        Of each channel.
    """
    steady = True
    for i in range(COEFFICIENTS):
        steady = steady and old[i] == new[i]
    if steady:
        _steady(x, at, channels, new, state)
    else:
        _moving(x, at, channels, old, new, state)
