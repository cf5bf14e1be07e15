"""The gesture pad: moved by hand, and drifting on when it is let go."""

from __future__ import annotations

import copy
import math

from innerbloom.core.dsp.rates import TICK_S

_RECENT_TICKS = 0.1 / TICK_S


class Pad:
    """Where the pad stands, across and up, each in -1..1.

    Let go, it goes on at the pace of the last tenth of a second, slowing as by friction:
    x(t) = x0 + v T (1 - e^(-t / T)), and comes to rest at the edges.
    """

    def __init__(self) -> None:
        self._place = [0.0, 0.0]
        self._pace = [0.0, 0.0]
        self._trail: list[list[tuple[int, float]]] = [[], []]
        self._let_go_at: int | None = None
        self._time_s = 0.0

    def move(self, side: int, value: float, tick: int) -> None:
        """Put it somewhere by hand: side 0 across, 1 up."""
        here = self.at(tick)
        self._let_go_at = None
        self._place = [here[0], here[1]]
        self._place[side] = min(max(value, -1.0), 1.0)
        trail = [one for one in self._trail[side] if one[0] >= tick - _RECENT_TICKS]
        self._trail[side] = [*trail, (tick, self._place[side])]

    def copied(self) -> Pad:
        """The same, going its own way from here."""
        other = copy.copy(self)
        other._trail = [*self._trail]
        return other

    def let_go(self, tick: int, momentum_ms: float) -> None:
        """Let it drift on for a while; with no momentum it stays."""
        self._time_s = momentum_ms * 0.001
        self._let_go_at = tick
        self._pace = [self._recent_pace(trail, tick) for trail in self._trail]
        self._trail = [[], []]

    def _recent_pace(self, trail: list[tuple[int, float]], tick: int) -> float:
        recent = [one for one in trail if one[0] >= tick - _RECENT_TICKS]
        if len(recent) < 2 or recent[-1][0] == recent[0][0]:
            return 0.0
        return (recent[-1][1] - recent[0][1]) / ((recent[-1][0] - recent[0][0]) * TICK_S)

    @property
    def rests(self) -> bool:
        """Whether it stays where it is until it is moved again."""
        return self._let_go_at is None or self._time_s <= 0.0

    def at(self, tick: int) -> tuple[float, float]:
        """Where it is at a tick."""
        if self.rests or self._let_go_at is None:
            return self._place[0], self._place[1]
        gone = 1.0 - math.exp(-(tick - self._let_go_at) * TICK_S / self._time_s)
        there = [
            min(max(place + pace * self._time_s * gone, -1.0), 1.0)
            for place, pace in zip(self._place, self._pace, strict=True)
        ]
        return there[0], there[1]
