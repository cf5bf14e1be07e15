"""Second-order sections over a stream of blocks, as matrices: nothing to compile, and no package that takes long to load.

What comes of a stretch of samples is what it gives from rest (a matrix with the impulse response) and what
the state before it rings on with; states from stretch to stretch are a recursion of their own, which is solved by
doubling. C. S. Burrus, "Block realization of digital filters", IEEE Trans. Audio and Electroacoustics 20(4), 1972;
P. M. Kogge and H. S. Stone, "A parallel algorithm for the efficient solution of a general class of recurrence
equations", IEEE Trans. Computers C-22(8), 1973 (both from memory). The same as ``scipy.signal.sosfilt`` but for
rounding.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

_STRETCH = 64
Floats = NDArray[np.float64]


class StreamingFilter:
    """Filters a stream, block by block.

    Parameters
    ----------
    sos : ndarray, shape (sections, 6)
        As SciPy has them: b0, b1, b2, a0, a1, a2.
    channels : int

    Examples
    --------
    >>> high_pass = StreamingFilter(np.array([butterworth_high_pass(48_000, 35.0)]), 2)
    >>> filtered = [high_pass(block) for block in blocks]
    """

    def __init__(self, sos: Floats, channels: int) -> None:
        self._sections = [_Section(row / row[3], channels) for row in np.asarray(sos, np.float64)]

    def __call__(self, block: NDArray[np.floating]) -> Floats:
        """The next block, shape (frames, channels), filtered."""
        sound = np.ascontiguousarray(block.T, np.float64)
        for section in self._sections:
            sound = section.filtered(sound)
        return sound.T


class _Matrices(NamedTuple):
    """What a section does to a stretch of samples; not to be written to.

    powers : of the state's step, 0 to a whole stretch
    ringing : what the first state rings on with, at each sample
    from_rest : what comes out of a stretch from rest, (samples in, samples out)
    left : what each sample of a stretch leaves in the state at its end
    """

    powers: tuple[Floats, ...]
    ringing: Floats
    from_rest: Floats
    left: Floats


@lru_cache(64)
def _matrices(b0: float, b1: float, b2: float, a1: float, a2: float) -> _Matrices:
    step = np.array([[-a1, 1.0], [-a2, 0.0]])
    into = np.array([b1 - a1 * b0, b2 - a2 * b0])
    powers = [np.eye(2)]
    for _ in range(_STRETCH):
        powers.append(powers[-1] @ step)
    ringing = np.array([power[0] for power in powers[:-1]])
    response = np.concatenate(([b0], ringing[:-1] @ into))
    lag = np.subtract.outer(np.arange(_STRETCH), np.arange(_STRETCH))
    from_rest = np.where(lag >= 0, response[np.maximum(lag, 0)], 0.0).T.copy()
    left = np.array([power @ into for power in powers[:-1]])[::-1].copy()
    return _Matrices(tuple(powers), ringing, from_rest, left)


class _Section:
    """One section in transposed direct form II, whose two states are kept for each channel."""

    def __init__(self, row: Floats, channels: int) -> None:
        b0, b1, b2, _, a1, a2 = row.tolist()
        self._powers, self._ringing, self._from_rest, self._left = _matrices(b0, b1, b2, a1, a2)
        self._state = np.zeros((channels, 2))

    def filtered(self, sound: Floats) -> Floats:
        """The next samples, shape (channels, frames)."""
        channels, frames = sound.shape
        whole = frames - frames % _STRETCH
        stretches = sound[:, :whole].reshape(channels, -1, _STRETCH)
        states = self._states(stretches @ self._left)
        out = np.empty_like(sound)
        made = stretches @ self._from_rest + states[:, :-1] @ self._ringing.T
        out[:, :whole] = made.reshape(channels, whole)
        self._state = states[:, -1]
        rest = frames - whole
        if rest:
            last = sound[:, whole:]
            out[:, whole:] = (
                last @ self._from_rest[:rest, :rest] + self._state @ self._ringing[:rest].T
            )
            self._state = self._state @ self._powers[rest].T + last @ self._left[_STRETCH - rest :]
        return out

    def _states(self, added: Floats) -> Floats:
        """The state before each stretch and after the last one, shape (channels, stretches + 1, 2)."""
        states = np.concatenate((self._state[:, None], added), axis=1)
        power, apart = self._powers[_STRETCH], 1
        while apart < states.shape[1]:
            states[:, apart:] += states[:, :-apart] @ power.T
            power, apart = power @ power, 2 * apart
        return states


def butterworth_high_pass(rate: float, hz: float) -> Floats:
    """A Butterworth high-pass of second order as one section, by bilinear transform; shape (6,)."""
    k = math.tan(math.pi * hz / rate)
    a0 = 1.0 + math.sqrt(2.0) * k + k * k
    a1, a2 = 2.0 * (k * k - 1.0) / a0, (1.0 - math.sqrt(2.0) * k + k * k) / a0
    return np.array([1.0 / a0, -2.0 / a0, 1.0 / a0, 1.0, a1, a2])
