"""The way that a morph leads through its sounds."""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing

MOST_AT_ONCE = 3
"""Sounds of a morph that have a share at one place: the first, and the two it lies between."""


@borrowing
def put_shares(shares, count, morph, amount):
    """Shares of the sounds of a morph; they add up to 1.

    Parameters
    ----------
    shares : float64 array, shape (count or more,)
        Filled.
    count : int
        Sounds on the way.
    morph, amount : float
        0..1: place on the way, and how far it leads away from the first sound.
    """
    for i in range(len(shares)):
        shares[i] = 0.0
    place = morph * (count - 1)
    below = min(np.int64(place), max(count - 2, 0))
    share = place - below if count > 1 else 0.0
    shares[0] += 1.0 - amount
    shares[below] += amount * (1.0 - share)
    if count > 1:
        shares[below + 1] += amount * share


def shares_on_path(count: int, morph: float, amount: float) -> list[float]:
    """The same as a list."""
    shares = np.zeros(count)
    put_shares(shares, count, float(morph), float(amount))
    return [float(one) for one in shares]
