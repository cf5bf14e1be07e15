"""A stretch of time as what is mixed sees it."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.dsp.rates import TICK_S
from innerbloom.core.effects import Ticks
from innerbloom.core.engine.layout import Layout


class Moment(NamedTuple):
    """A span of ticks, and what everything is set to meanwhile.

    Attributes
    ----------
    first, ticks : int
        Number of its first tick since the section began, and how many.
    leader : ndarray of VOICE, shape (1,)
        The newest note, as it stands at the end of the span.
    layout : Layout
    base : ndarray, shape (ticks, values)
        What is set.
    moved : ndarray, shape (ticks, values)
        The same with all movement in it, as the leader has it.
    """

    first: int
    ticks: int
    leader: NDArray[Any]
    layout: Layout
    base: NDArray[np.float64]
    moved: NDArray[np.float64]

    @property
    def age_s(self) -> float:
        """Seconds from the beginning of the newest note to that of the span."""
        return float(self.leader["age"][0]) - self.ticks * TICK_S

    def settings_of(self, owner: str) -> NDArray[Any]:
        """The settings of an owner by name, with movement, shape (ticks,)."""
        return self.layout.view(owner, self.moved)

    def knows(self, owner: str) -> bool:
        """Whether there is such an owner."""
        return owner in self.layout.owners

    def at(self, tick: int, values: NDArray[Any]) -> Ticks:
        """One of its ticks, for an effect with these settings."""
        return Ticks(self.first + tick, self.age_s + tick * TICK_S, values[tick : tick + 1])
