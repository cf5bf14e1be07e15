"""Curves without aliasing: what is between samples is averaged, by second antiderivatives.

References
----------
.. [1] S. Bilbao, F. Esqueda, J. D. Parker and V. Valimaki, "Antiderivative antialiasing for
   memoryless nonlinearities", IEEE Signal Processing Letters 24(7), 2017: the second-order method,
   and what replaces its quotients where samples lie close together.
"""

from __future__ import annotations

import math

from innerbloom.core.compiling import borrowing

_CLOSE = 1e-3
_HALF_PI = 0.5 * math.pi
_KNEE = 1.5
"""Where the soft curve x - 4/27 x^3 has become level, at 1."""

SOFT, FOLD = 0, 1
"""Which curve: the soft cubic, or a sine that folds back."""


@borrowing
def _soft(x, order):
    """The soft curve (0), or its first or second antiderivative."""
    y = abs(x)
    if y < _KNEE:
        square = y * y
        if order == 0:
            made = y * (1.0 - square * (4.0 / 27.0))
        elif order == 1:
            made = square * (0.5 - square / 27.0)
        else:
            made = y * square * (1.0 / 6.0 - square / 135.0)
    elif order == 0:
        made = 1.0
    elif order == 1:
        made = y - 0.5625
    else:
        made = y * (0.5 * y - 0.5625) + 0.225
    return made if order == 1 or x >= 0.0 else -made


@borrowing
def _hard(x, order):
    """The same of what is cut off at -1 and 1."""
    y = abs(x)
    if order == 0:
        made = min(y, 1.0)
    elif order == 1:
        made = 0.5 * y * y if y < 1.0 else y - 0.5
    else:
        made = y * y * y / 6.0 if y < 1.0 else 0.5 * y * (y - 1.0) + 1.0 / 6.0
    return made if order == 1 or x >= 0.0 else -made


@borrowing
def _fold(x, order):
    """The same of what is folded back at -1 and 1, as a sine."""
    if order == 0:
        return math.sin(_HALF_PI * x)
    if order == 1:
        return -math.cos(_HALF_PI * x) / _HALF_PI
    return -math.sin(_HALF_PI * x) / (_HALF_PI * _HALF_PI)


@borrowing
def curve(x, order, hardness, kind):
    """A curve, or its first or second antiderivative.

    Parameters
    ----------
    order : int
        0 for the curve itself.
    hardness : float
        From soft (0) to hard (1) corners, where it does not fold.
    kind : int
        ``SOFT`` or ``FOLD``.
    """
    if kind == FOLD:
        return _fold(x, order)
    made = 0.0
    if hardness < 1.0:
        made += (1.0 - hardness) * _soft(x, order)
    if hardness > 0.0:
        made += hardness * _hard(x, order)
    return made


@borrowing
def _between(x0, x1, f0, f1, hardness, kind):
    """The first antiderivative, averaged between two samples."""
    if abs(x0 - x1) < _CLOSE:
        return curve(0.5 * (x0 + x1), 1, hardness, kind)
    return (f0 - f1) / (x0 - x1)


@borrowing
def shaped(x0, line, hardness, kind):
    """One sample through a curve, late by one sample.

    Parameters
    ----------
    x0 : float
        The newest sample.
    line : float64 array, shape (5,)
        What it remembers: two samples, their second antiderivatives, and an average.
    """
    x1, x2, f1, _, older = line[0], line[1], line[2], line[3], line[4]
    f0 = curve(x0, 2, hardness, kind)
    newer = _between(x0, x1, f0, f1, hardness, kind)
    if abs(x0 - x2) >= _CLOSE:
        made = 2.0 * (newer - older) / (x0 - x2)
    else:
        middle = 0.5 * (x0 + x2)
        apart = middle - x1
        if abs(apart) < _CLOSE:
            made = curve(0.5 * (middle + x1), 0, hardness, kind)
        else:
            there = curve(middle, 2, hardness, kind)
            made = 2.0 / apart * (curve(middle, 1, hardness, kind) + (f1 - there) / apart)
    line[0], line[1], line[2], line[3], line[4] = x0, x1, f0, f1, newer
    return made
