"""The limiter on its own: a state and a door to :mod:`.kernels.limiter`."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.dsp.rates import TICK
from innerbloom.core.engine.kernels.limiter import (
    LOOK_AHEAD,
    MEMORY,
    TAPS,
    LimiterState,
    limit,
)


class Limiter:
    """Holds true peaks below a ceiling, transparently.

    Parameters
    ----------
    ceiling_db : float
        Highest true peak, in dBTP; may be set at any time.

    Examples
    --------
    >>> limiter = Limiter(-1.0)
    >>> limiter.process(sound)                  # (ticks * 64, 2) float32, in place
    """

    latency = LOOK_AHEAD * TICK
    """Frames by which the output lags behind."""

    def __init__(self, ceiling_db: float = -1.0) -> None:
        self.ceiling_db = ceiling_db
        self._state = LimiterState(
            np.zeros(((LOOK_AHEAD + 1) * TICK, 2), np.float32),
            np.zeros((2, TAPS + TICK), np.float32),
            np.zeros(MEMORY),
            np.zeros(3),
            np.array([MEMORY]),
        )

    def process(self, audio: NDArray[np.float32]) -> None:
        """Limit whole ticks in place; ``audio`` has shape (ticks * TICK, 2)."""
        limit(audio, self._state, self.ceiling_db)

    def ringing(self) -> bool:
        """Whether something of what went in is still to come out, or the gain is still down."""
        waiting = self._state.line[: self.latency]
        return bool(self._state.gains[0] != 0.0 or waiting.any())

    def reduction_db(self) -> float:
        """The most by which it held the level down since this was last asked: 0 or below."""
        gains = self._state.gains
        lowest = float(gains[2])
        gains[2] = gains[0]
        return lowest
