"""A tempo click, heard beside what is played and never part of it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.engine import ENGINE_RATE

_HZ, _FIRST_HZ = 1_000.0, 1_500.0
_LASTS = round(0.03 * ENGINE_RATE)
_GAIN = 0.2
_BAR = 4
"""The first of so many beats is higher."""


def _tick(hz: float) -> NDArray[np.float32]:
    t = np.arange(_LASTS) / ENGINE_RATE
    return (_GAIN * np.sin(2.0 * np.pi * hz * t) * np.exp(-t / 0.006)).astype(np.float32)


_TICKS = (_tick(_FIRST_HZ), _tick(_HZ))


class Click:
    """Clicks on every beat; the take begins with beat 0, a count-in has beats below it.

    Parameters
    ----------
    tempo : float
        Beats a minute.
    count_in : int
        Beats before the take.
    on : bool
        Whether it goes on in the take.
    """

    def __init__(self, tempo: float, count_in: int, on: bool) -> None:
        self._beat = 60.0 * ENGINE_RATE / tempo
        self._first, self._on = -count_in, on

    @property
    def count_in_frames(self) -> int:
        """How long is counted in, in frames."""
        return round(-self._first * self._beat)

    def beats_left(self, at: int) -> int:
        """Beats until the take begins, seen from a frame before it."""
        return int(np.ceil(max(0, -at) / self._beat))

    def read(self, at: int, frames: int) -> NDArray[np.float32]:
        """What sounds from a frame on, shape (frames, 2); the take begins at frame 0."""
        out = np.zeros((frames, 2), np.float32)
        first = max(self._first, int((at - _LASTS) // self._beat))
        for number in range(first, int((at + frames) // self._beat) + 1):
            if number >= 0 and not self._on:
                break
            begins = round(number * self._beat) - at
            low, high = max(0, begins), min(frames, begins + _LASTS)
            if low < high:
                tick = _TICKS[number % _BAR != 0]
                out[low:high] += tick[low - begins : high - begins, None]
        return out
