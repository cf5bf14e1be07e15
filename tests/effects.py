"""Kinds of effect that are only there to try the mixer out."""

from __future__ import annotations

import copy
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager

import numpy as np

from innerbloom.core.declare.parameters import Parameter
from innerbloom.core.effects import EFFECT_KINDS, Effect, EffectKind, Ticks

LAG = 150
"""Frames by which *late* is late."""


class Gain(Effect):
    """Multiplies."""

    def __init__(self, made: object) -> None:
        self.calls = 0

    def process(self, audio: np.ndarray, ticks: Ticks) -> None:
        audio *= np.repeat(ticks.values["factor"], len(audio) // len(ticks.values))[:, None]


class Late(Effect):
    """Lets everything through late, and says so."""

    latency = LAG

    def __init__(self, made: object) -> None:
        self._line = np.zeros((LAG, 2), np.float32)

    def process(self, audio: np.ndarray, ticks: Ticks) -> None:
        joined = np.concatenate((self._line, audio))
        audio[:] = joined[: len(audio)]
        self._line = joined[len(audio) :]

    def ringing(self) -> bool:
        return bool(self._line.any())

    def tail_s(self) -> float:
        return LAG / 48_000

    def copied(self) -> Late:
        other = copy.copy(self)
        other._line = self._line.copy()
        return other


FACTOR = Parameter("factor", "factor", "Gain", "", 0, 4, 1, "What everything is multiplied by.")
KINDS = (
    EffectKind("gain", "Gain", (FACTOR,), Gain, "Multiplies."),
    EffectKind("late", "Late", (), Late, "Comes late."),
)


@contextmanager
def trial_effects() -> Iterator[None]:
    """The kinds, for as long as a block lasts."""
    with ExitStack() as stack:
        for kind in KINDS:
            stack.enter_context(EFFECT_KINDS.with_kind(kind))
        yield
