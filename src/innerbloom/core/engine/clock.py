"""A stretch of time as what is mixed sees it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.parameters import Declared
from innerbloom.core.dsp.rates import TICK, TICK_S
from innerbloom.core.effects import Ticks
from innerbloom.core.engine.layout import Layout
from innerbloom.core.instrument.owners import WHOLE_ID


class Played(Protocol):
    """What effects ask of the notes that are played, as they stand at the end of a span."""

    def age_s(self) -> float:
        """Seconds since the newest note began."""

    def keys_of_down(self) -> tuple[float, ...]:
        """The keys that are down, as note numbers."""


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
    still : bool
        Whether what is set neither moves nor has moved since the span before.
    played : Played
    stream_of : callable
        ``stream_of(layer, frames)`` gives what the voices of a layer add up to, shape (frames, 2).
    """

    first: int
    ticks: int
    layout: Layout
    base: NDArray[np.float64]
    moved: NDArray[np.float64]
    still: bool
    played: Played
    stream_of: Callable[[str, int], NDArray[np.float32] | None]

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
        heard = None if listens_to is None else self.stream_of(listens_to, self.ticks * TICK)
        age_s = self.played.age_s() - self.ticks * TICK_S
        beat_s = 60.0 / float(self.moved[-1, self.layout.column(WHOLE_ID, "tempo")])
        return Ticks(self.first, age_s, values, beat_s, self.played.keys_of_down(), heard)


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
