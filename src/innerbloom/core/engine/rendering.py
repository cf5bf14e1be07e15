"""The only door to sound: any number of frames, events at their ticks, the same however time is cut."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.dsp.rates import TICK
from innerbloom.core.performance.events import AnyEvent


class Rendering(ABC):
    """Whatever sounds and is told events.

    Attributes
    ----------
    now : int
        Frames rendered since it started, but for what a call left over of a tick.
    """

    def __init__(self) -> None:
        self.now = 0
        self._left_over = np.zeros((0, 2), np.float32)
        self._pending: list[AnyEvent] = []

    def render(self, frames: int, events: Iterable[AnyEvent] = ()) -> NDArray[np.float32]:
        """The next stretch of sound.

        Parameters
        ----------
        frames : int
            How many frames, any number from 0.
        events : iterable of events
            What happens, at absolute times in frames; an event takes effect at the next tick at
            or after its time, those of one time in the order in which they came. A control that
            is not there moves nothing.

        Returns
        -------
        ndarray of float32, shape (frames, 2)
        """
        self._pending.extend(events)
        self._pending.sort(key=lambda event: event.time)
        missing = frames - len(self._left_over)
        ticks = max(0, -(-missing // TICK))
        fresh = np.zeros((ticks * TICK, 2), np.float32)
        done = 0
        while done < ticks:
            self._apply_due()
            span = self._ticks_until_event(min(self._most_ticks(), ticks - done))
            self._run(fresh[done * TICK : (done + span) * TICK])
            done += span
        sound = np.concatenate((self._left_over, fresh)) if len(self._left_over) else fresh
        self._left_over = sound[frames:].copy()
        return sound[:frames]

    def _ticks_until_event(self, most: int) -> int:
        if not self._pending:
            return most
        return min(most, -(-(self._pending[0].time - self.now) // TICK))

    @abstractmethod
    def _apply_due(self) -> None:
        """Let everything happen whose time has come."""

    @abstractmethod
    def _most_ticks(self) -> int:
        """Most ticks that may be rendered in one go now."""

    @abstractmethod
    def _run(self, out: NDArray[np.float32]) -> None:
        """Render so many frames, whole ticks, in which nothing happens, and move on."""
