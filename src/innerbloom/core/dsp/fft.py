"""The Fourier transform of real blocks within kernels, as vector code.

Libraries transform one or two short blocks without vector instructions, at the price of a call
each; effects that do so every few milliseconds spend most of their time there. This is for them:
power-of-two lengths in single precision, real and imaginary parts apart. Everything else calls
SciPy's.

References
----------
.. [1] C. Van Loan, *Computational Frameworks for the Fast Fourier Transform*, SIAM 1992: section
   1.7, Stockham's transform, which sorts as it goes and whose inner loops run along memory; section
   2.4, radix 4; section 4.3, real blocks as complex ones of half the length.
"""

from __future__ import annotations

from functools import cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.butterflies import radix4_by_4, radix4_by_8, radix4_first


class Transform(NamedTuple):
    """Tables for real blocks of one length.

    Attributes
    ----------
    cos, sin : ndarray of float32, shape (frames // 2,)
        Of the complex transform of half the length: real and imaginary part of
        exp(-4 pi i k / frames).
    first : ndarray of float32, shape (6, frames // 8)
        The same where the first pass looks for it: of k, 2 k and 3 k, each as a row.
    half_cos, half_sin : ndarray of float32, shape (frames // 2,)
        Real and imaginary part of exp(-2 pi i k / frames).
    """

    cos: NDArray[np.float32]
    sin: NDArray[np.float32]
    first: NDArray[np.float32]
    half_cos: NDArray[np.float32]
    half_sin: NDArray[np.float32]


@cache
def transform_of(frames: int) -> Transform:
    """Tables for blocks of a length, a power of two from 32 on.

    Raises
    ------
    ValueError
        Other lengths.
    """
    if frames < 32 or frames & (frames - 1):
        raise ValueError(f"{frames} is no power of two from 32 on")
    turns = np.exp(-4j * np.pi * np.arange(frames // 2) / frames)
    halves = np.exp(-2j * np.pi * np.arange(frames // 2) / frames)
    rows = [turns[: k * (frames // 8) : k] for k in (1, 2, 3)]
    first = [part for row in rows for part in (row.real, row.imag)]
    parts = (turns.real, turns.imag, np.array(first), halves.real, halves.imag)
    return Transform(*(np.ascontiguousarray(part, np.float32) for part in parts))


def scratch_for(frames: int) -> NDArray[np.float32]:
    """Room for the work on one block of a length, which no two threads may share."""
    return np.zeros((4, frames // 2), np.float32)


@borrowing
def _first_pass(x, y, to_x, to_y, table):
    """The first pass of radix 4: outputs of a butterfly are neighbours."""
    quarter = len(x) // 4
    for p in range(0, quarter, 4):
        radix4_first(x, y, to_x, to_y, table.first, p, quarter)


@borrowing
def _pass(x, y, to_x, to_y, table, stride):
    """A later pass of radix 4: so many neighbours are turned alike."""
    cos, sin = table.cos, table.sin
    reach = len(x) // 4
    for k in range(0, reach, stride):
        turns = (cos[k], sin[k], cos[2 * k], sin[2 * k], cos[3 * k], sin[3 * k])
        if stride == 4:
            radix4_by_4(x, y, to_x, to_y, (k, reach, 4 * k, stride), turns)
            continue
        for q in range(0, stride, 8):
            radix4_by_8(x, y, to_x, to_y, (k + q, reach, 4 * k + q, stride), turns)


@borrowing
def _last_pass(x, y, to_x, to_y):
    """A pass of radix 2, where radix 4 leaves one over."""
    half = len(x) // 2
    for q in range(half):
        a, b, c, d = x[q], x[q + half], y[q], y[q + half]
        to_x[q], to_x[q + half] = a + b, a - b
        to_y[q], to_y[q + half] = c + d, c - d


@borrowing
def _complex(scratch, table):
    """Transform what lies in the first two rows of the scratch; gives the row where it is then."""
    x, y, to_x, to_y = scratch[0], scratch[1], scratch[2], scratch[3]
    row, stride = 2, 4
    _first_pass(x, y, to_x, to_y, table)
    while 4 * stride <= len(x):
        x, y, to_x, to_y = to_x, to_y, x, y
        _pass(x, y, to_x, to_y, table, stride)
        row, stride = 2 - row, 4 * stride
    if stride < len(x):
        x, y, to_x, to_y = to_x, to_y, x, y
        _last_pass(x, y, to_x, to_y)
        row = 2 - row
    return row


@borrowing
def forward(real, imag, x, table, scratch):
    """The spectrum of a real block.

    Parameters
    ----------
    real, imag : float32 arrays, shape (frames // 2 + 1,)
        Filled.
    x : float32 array, shape (frames,)
    table : Transform
    scratch : float32 array, shape (4, frames // 2)
        See :func:`scratch_for`.
    """
    half, point5 = len(x) // 2, np.float32(0.5)
    even, odd = scratch[0], scratch[1]
    for k in range(half):
        even[k], odd[k] = x[2 * k], x[2 * k + 1]
    row = _complex(scratch, table)
    u, v, cos, sin = scratch[row], scratch[row + 1], table.half_cos, table.half_sin
    # a loop for each, since vectors are made of loops that write to one place
    # unsigned, or every place would be tested for lying before the beginning
    for i in range(1, half):
        k = np.uint64(i)
        o = np.uint64(half) - k
        real[k] = point5 * (u[k] + u[o] + cos[k] * (v[k] + v[o]) + sin[k] * (u[k] - u[o]))
    for i in range(1, half):
        k = np.uint64(i)
        o = np.uint64(half) - k
        imag[k] = point5 * (v[k] - v[o] + sin[k] * (v[k] + v[o]) - cos[k] * (u[k] - u[o]))
    real[0], imag[0] = u[0] + v[0], np.float32(0.0)
    real[half], imag[half] = u[0] - v[0], np.float32(0.0)


@borrowing
def inverse(x, real, imag, table, scratch):
    """The real block of a spectrum, divided by its length: what :func:`forward` was given.

    Parameters
    ----------
    x : float32 array, shape (frames,)
        Filled.
    real, imag : float32 arrays, shape (frames // 2 + 1,)
        The imaginary parts of the first and the last count as 0.
    table, scratch
        As for :func:`forward`.
    """
    half, scale = len(x) // 2, np.float32(1.0 / len(x))
    # with both parts exchanged, the same transform goes the other way
    v, u, cos, sin = scratch[0], scratch[1], table.half_cos, table.half_sin
    for i in range(1, half):
        k = np.uint64(i)
        o = np.uint64(half) - k
        u[k] = scale * (
            real[k] + real[o] + sin[k] * (real[k] - real[o]) - cos[k] * (imag[k] + imag[o])
        )
    for i in range(1, half):
        k = np.uint64(i)
        o = np.uint64(half) - k
        v[k] = scale * (
            imag[k] - imag[o] + cos[k] * (real[k] - real[o]) + sin[k] * (imag[k] + imag[o])
        )
    u[0], v[0] = scale * (real[0] + real[half]), scale * (real[0] - real[half])
    row = _complex(scratch, table)
    odd, even = scratch[row], scratch[row + 1]
    for k in range(half):
        x[2 * k], x[2 * k + 1] = even[k], odd[k]
