"""A cosine that compilers turn into vector code."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing

FIT = (6.28316404, -41.33714216, 81.34076154, -70.993362)
"""Of sin(2 pi z) / z in powers of z squared, for |z| <= 1/4, with equal ripples."""

_A, _B, _C, _D = (np.float32(one) for one in FIT)


@borrowing
def cosine(cycles):
    """Cosine of so many cycles, within 7e-7, as float32.

    The nearest whole number is taken off in the precision of ``cycles``; what is left goes
    through an equal-ripple fit of sin(2 pi z) for |z| <= 1/4.
    """
    # a half of the same kind, or everything would be reckoned in double precision
    half = type(cycles)(0.5)
    x = np.float32(cycles - np.floor(cycles + half))
    z = np.float32(0.25) - abs(x)
    q = z * z
    return z * (_A + q * (_B + q * (_C + q * _D)))


_SERIES = tuple(
    (-1) ** k * (2.0 * math.pi) ** (2 * k + 1) / math.factorial(2 * k + 1) for k in range(8)
)


@borrowing
def fine_cosine(cycles):
    """Cosine of so many cycles, within 1e-11, as float64: Taylor's series of sin(2 pi z)."""
    z = 0.25 - abs(cycles - np.floor(cycles + 0.5))
    q = z * z
    total = _SERIES[7]
    for k in range(6, -1, -1):
        total = _SERIES[k] + q * total
    return z * total
