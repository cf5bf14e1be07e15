"""A cosine that compilers turn into vector code."""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing


@borrowing
def cosine(cycles):
    """Cosine of so many cycles, within 6e-7, as float32.

    The nearest whole number is taken off in the precision of ``cycles``; what is left goes
    through an equal-ripple fit of sin(2 pi z) for |z| <= 1/4.
    """
    # a half of the same kind, or everything would be reckoned in double precision
    half = type(cycles)(0.5)
    x = np.float32(cycles - np.floor(cycles + half))
    z = np.float32(0.25) - abs(x)
    q = z * z
    return z * (
        np.float32(6.28316404)
        + q
        * (np.float32(-41.33714216) + q * (np.float32(81.34076154) + q * np.float32(-70.993362)))
    )
