"""The rational curve x (27 + x^2) / (27 + 9 x^2), without aliasing, over a whole stretch.

What :func:`.antiderivative.shaped` does one sample after the other is done here pass by pass, so that
each becomes vector code: the curve is a polynomial, of which antiderivatives are polynomials too. They
are kept in powers of w = 2 x^2 / 9 - 1, -1..1, where none of their coefficients is above 1.

References
----------
.. [1] S. Bilbao, F. Esqueda, J. D. Parker and V. Valimaki, "Antiderivative antialiasing for
   memoryless nonlinearities", IEEE Signal Processing Letters 24(7), 2017.
.. [2] L. N. Trefethen, *Approximation Theory and Approximation Practice*, SIAM 2013: the poles at
   w = -5/3 let the error shrink three times with each term.
"""

from __future__ import annotations

import numpy as np
from numpy.polynomial import chebyshev, polynomial
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing

END = 3.0
"""Where the curve has become level, at 1."""

_TERMS = 14
"""Within 4e-7 of the curve, -128 dB."""

_CLOSE = 1e-4
"""Quotients of what lies closer together would be off by more than what stands for them."""

_HALF = 0.5 * END**2


def _over_x(w: NDArray[np.float64]) -> NDArray[np.float64]:
    square = _HALF * (w + 1.0)
    return (27.0 + square) / (27.0 + 9.0 * square)


def _polynomials() -> tuple[tuple[float, ...], ...]:
    """Of the curve over x, of its first antiderivative, and of its second one over x."""
    nodes = chebyshev.chebpts1(_TERMS)
    curve = chebyshev.cheb2poly(chebyshev.chebfit(nodes, _over_x(nodes), _TERMS - 1))
    # d(x^2) = 2 x dx
    first = polynomial.polyint(curve, lbnd=-1.0) * (0.5 * _HALF)
    # (x b)' = b + 2 (w + 1) db/dw is the first one
    second = np.zeros(_TERMS + 2)
    for k in range(_TERMS, -1, -1):
        second[k] = (first[k] - 2.0 * (k + 1) * second[k + 1]) / (2 * k + 1)
    return tuple(tuple(float(c) for c in one) for one in (curve, first, second[:-1]))


_CURVE, _FIRST, _SECOND = _polynomials()
_END_1, _END_2 = (
    float(polynomial.polyval(1.0, _FIRST)),
    END * float(polynomial.polyval(1.0, _SECOND)),
)


@borrowing
def _polynomial(w, coefficients):
    total = coefficients[len(coefficients) - 1]
    for k in range(len(coefficients) - 2, -1, -1):
        total = coefficients[k] + w * total
    return total


@borrowing
def plain(x, hard):
    """The curve itself; ``hard`` is how far its corners are hard, 0..1."""
    y = abs(x)
    inside, flat = min(y, END), min(y, 1.0)
    soft = inside * _polynomial(inside * inside / _HALF - 1.0, _CURVE)
    made = soft + hard * (flat - soft)
    return made if x >= 0.0 else -made


@borrowing
def first(x, hard):
    """Its first antiderivative."""
    y = abs(x)
    inside, flat = min(y, END), min(y, 1.0)
    soft = _polynomial(inside * inside / _HALF - 1.0, _FIRST) + (y - inside)
    return soft + hard * (flat * (0.5 * flat) + (y - flat) - soft)


@borrowing
def second(x, hard):
    """Its second antiderivative."""
    y = abs(x)
    inside, flat = min(y, END), min(y, 1.0)
    beyond, above = y - inside, y - flat
    soft = inside * _polynomial(inside * inside / _HALF - 1.0, _SECOND)
    soft += beyond * (_END_1 + 0.5 * beyond)
    cut = flat * flat * flat / 6.0 + above * (0.5 + 0.5 * above)
    made = soft + hard * (cut - soft)
    return made if x >= 0.0 else -made


@borrowing
def _average(room, hard):
    """First antiderivatives, averaged from each sample to the next."""
    x, integral, average = room.field, room.integral, room.average
    for i in range(1, len(x)):
        integral[i] = second(x[i], hard)
    near = 0
    for i in range(2, len(x)):
        apart = x[i] - x[i - 1]
        close = abs(apart) < _CLOSE
        average[i] = (integral[i] - integral[i - 1]) / (1.0 if close else apart)
        near += 1 if close else 0
    if near > 0:
        for i in range(2, len(x)):
            level = first(0.5 * (x[i] + x[i - 1]), hard)
            average[i] = level if abs(x[i] - x[i - 1]) < _CLOSE else average[i]


@borrowing
def _turning(x0, x1, x2, hard):
    """Where a sample lies close to the last but one, and not to that between them."""
    middle = 0.5 * (x0 + x2)
    apart = middle - x1
    step = (second(x1, hard) - second(middle, hard)) / apart
    return 2.0 / apart * (first(middle, hard) + step)


@borrowing
def shape_stretch(out, room, memory, hard):
    """A stretch through the curve, late by one sample.

    Parameters
    ----------
    out : float32 array, shape (n,)
        Filled.
    room : record
        ``field`` is float64, shape (n + 2,): the stretch from its third place on. ``integral`` and
        ``average`` are scratch of the same shape.
    memory : float64 array, shape (3,)
        What it remembers: the last two samples, the newer one first, and an average.
    hard : float
        From soft (0) to hard (1) corners.
    """
    x, average, n = room.field, room.average, len(out)
    x[0], x[1], average[1] = memory[1], memory[0], memory[2]
    _average(room, hard)
    near = turns = 0
    for i in range(n):
        apart = x[i + 2] - x[i]
        close = abs(apart) < _CLOSE
        out[i] = np.float32(2.0 * (average[i + 2] - average[i + 1]) / (1.0 if close else apart))
        near += 1 if close else 0
        turns += 1 if close and abs(x[i] - x[i + 1]) >= _CLOSE else 0
    # silence and slow sounds; few others come that close
    if near > 0:
        for i in range(n):
            level = np.float32(plain((x[i] + x[i + 1] + x[i + 2]) / 3.0, hard))
            out[i] = level if abs(x[i + 2] - x[i]) < _CLOSE else out[i]
    if turns > 0:
        for i in range(n):
            if abs(x[i + 2] - x[i]) < _CLOSE and abs(x[i] - x[i + 1]) >= _CLOSE:
                out[i] = np.float32(_turning(x[i + 2], x[i + 1], x[i], hard))
    memory[0], memory[1], memory[2] = x[n + 1], x[n], average[n + 1]
