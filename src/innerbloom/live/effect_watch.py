"""What the picture of one effect shows of the stream that passes it: its spectrum and its noise floor.

The floor is the level that is exceeded nine tenths of the time (L90, the background level of
ISO 1996-1), of tenths of a second in the last ten seconds; where nothing goes in does not count.
"""

from __future__ import annotations

import math
from collections import deque

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.dsp.rates import RATE
from innerbloom.live.answers import Watched
from innerbloom.live.running_spectrum import HIGHEST_HZ, LOWEST_HZ, RunningSpectrum

_PIECE = RATE // 10
_KEPT = 100
_FEWEST = 10
"""Pieces that a floor is told from, a second of sound."""
_SILENT = 1e-12


class EffectWatch:
    """Follows one effect, as a tap of its chain.

    Parameters
    ----------
    effect : str
        Its id.
    """

    def __init__(self, effect: str) -> None:
        self.effect = effect
        self._after = RunningSpectrum()
        self._powers: deque[tuple[float, float]] = deque(maxlen=_KEPT)
        self._sums, self._frames, self._passed = np.zeros(2), 0, 0

    def __call__(self, before: NDArray[np.float32], after: NDArray[np.float32]) -> None:
        """What went in and what came out of it, each of shape (n, 2)."""
        self._passed += len(after)
        self._after.take_in(after)
        self._sums += [float(one.reshape(-1) @ one.reshape(-1)) for one in (before, after)]
        self._frames += len(after)
        if self._frames >= _PIECE:
            into, out = self._sums / (2 * self._frames)
            self._powers.append((float(into), float(out)))
            self._sums[:], self._frames = 0.0, 0

    def block(self, frames: int) -> None:
        """A block is over; where nothing passed the effect, it was silence."""
        if self._passed < frames:
            self._after.take_in(np.zeros((frames - self._passed, 2), np.float32))
        self._passed = 0

    def look(self) -> Watched:
        """What its picture shows now; the spectrum is that of what comes out."""
        return {
            "effect": self.effect,
            "hz": (LOWEST_HZ, HIGHEST_HZ),
            "spectrum": self._after.bands(),
            "floors": self.floors_db(),
        }

    def floors_db(self) -> tuple[float, float] | None:
        """The noise floor of what goes in and of what comes out, dBFS (RMS); None before a second of sound."""
        sounding = np.array([one for one in self._powers if one[0] > _SILENT])
        if len(sounding) < _FEWEST:
            return None
        into, out = np.maximum(np.percentile(sounding, 10.0, axis=0), _SILENT)
        return round(10.0 * math.log10(into), 1), round(10.0 * math.log10(out), 1)
