"""A stretch of time as what is mixed sees it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.parameters import Declared
from innerbloom.core.dsp.rates import TICK, TICK_S
from innerbloom.core.effects import Ticks
from innerbloom.core.engine.layout import Layout


class Moment(NamedTuple):
    """A span of ticks, and what everything is set to meanwhile.

    Attributes
    ----------
    first, ticks : int
        Number of its first tick since the section began, and how many.
    layout : Layout
    base : ndarray, shape (ticks, values)
        What is set.
    moved : ndarray, shape (ticks, values)
        The same with all movement in it, as the leader has it.
    age_s : float
        Seconds from the beginning of the newest note to that of the span.
    beat_s : float
        Seconds of a beat.
    keys : tuple of float
        Keys that are down, as note numbers.
    stream_of : callable
        ``stream_of(layer)`` gives what the voices of a layer add up to, shape (ticks * TICK, 2).
    """

    first: int
    ticks: int
    layout: Layout
    base: NDArray[np.float64]
    moved: NDArray[np.float64]
    age_s: float
    beat_s: float
    keys: tuple[float, ...]
    stream_of: Callable[[str], NDArray[np.float32] | None]

    def levels_of(self, owner: str) -> NDArray[np.float64]:
        """The level of an owner in dB, with movement, shape (ticks,)."""
        return self.moved[:, self.layout.column(owner, "level")]

    def rows_of(self, owner: str, width: int) -> NDArray[np.float64]:
        """So many settings of an owner as plain numbers, with movement, shape (ticks, width)."""
        at = self.layout.starts[owner]
        # a copy, since effects look back at it when these rows are long overwritten
        return self.moved[:, at : at + width].copy()

    def knows(self, owner: str, declared: tuple[Declared, ...] | None = None) -> bool:
        """Whether there is such an owner, with these parameters where they are told.

        Ids are those of documents: another instrument may call something else the same.
        """
        found = self.layout.owners.get(owner)
        return found is not None and (declared is None or found.declared == declared)

    def seen_by(self, values: NDArray[Any], listens_to: str | None) -> Ticks:
        """The span as an effect with these settings sees it."""
        heard = None if listens_to is None else self.stream_of(listens_to)
        return Ticks(self.first, self.age_s, values, self.beat_s, self.keys, heard)


def one_tick(ticks: Ticks, tick: int, sounds: bool) -> Ticks:
    """One tick of several, as an effect sees it."""
    heard = None if ticks.heard is None else ticks.heard[tick * TICK : (tick + 1) * TICK]
    return ticks._replace(
        first=ticks.first + tick,
        age_s=ticks.age_s + tick * TICK_S,
        values=ticks.values[tick : tick + 1],
        heard=heard,
        sounds=sounds,
    )
