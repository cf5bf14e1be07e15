"""Effects whose work is one compiled kernel on whole ticks."""

from __future__ import annotations

import copy
import math
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Declared
from innerbloom.core.dsp.rates import TICK_S
from innerbloom.core.effects.kind import EFFECT, Effect, Ticks

SILENT = 1e-7
"""Amplitude below which a tail has rung out: -140 dBFS."""


@borrowing
def loudest_of(x):
    """The largest amplitude of some samples."""
    loudest = np.float32(0.0)
    for i in range(len(x)):
        loudest = max(loudest, abs(x[i]))
    return loudest


Memory = tuple[NDArray[Any], ...]
Kernel = Callable[..., float]


def number_of(declared: tuple[Declared, ...], id_: str) -> int:
    """Where a setting of a kind lies among all that an effect has."""
    return [one.id for one in (*EFFECT, *declared)].index(id_)


class CompiledEffect(Effect):
    """An effect that is a kernel and what the kernel remembers.

    Once what it made has been silent for as long as it can hold a sound back, it forgets
    everything and sleeps.

    Parameters
    ----------
    kernel : callable
        ``kernel(audio, before, values, memory)`` works in place on whole ticks and gives the
        largest amplitude of what it made. ``audio`` has shape (frames * 2,), channels interleaved;
        ``before`` holds the settings at the end of the last tick, shape (1,), and ``values`` those
        at the end of each.
    memory : tuple of ndarray
        Zeros are what it starts with.
    holds_s : float
        How long it can hold a sound back, in seconds.
    """

    by_number = False
    """Whether settings come as plain numbers, shape (ticks, settings): see :func:`number_of`."""

    shown_count = 0
    """How many numbers, first in the last array of its memory, pictures show."""

    def __init__(self, kernel: Kernel, memory: Memory, holds_s: float = 0.0) -> None:
        self._kernel, self._memory = kernel, memory
        self._before: NDArray[Any] | None = None
        self._holds, self._quiet = math.ceil(holds_s / TICK_S) + 1, 0
        self._asleep = True

    def process(self, audio: NDArray[np.float32], ticks: Ticks) -> None:
        """Work on whole ticks in place."""
        values = ticks.values
        if not values.flags.c_contiguous:
            values = np.ascontiguousarray(values)
        if self.by_number:
            width = values.dtype.itemsize // 8
            values = np.ndarray((len(values), width), np.float64, values)
        before = values[:1] if self._before is None else self._before
        made = self._work(audio.reshape(-1), before, values, ticks)
        self._before, self._asleep = values[-1:], False
        self._quiet = 0 if ticks.sounds or made > SILENT else self._quiet + len(values)
        if self._quiet > self._holds:
            self._forget()

    def _work(
        self, audio: NDArray[np.float32], before: NDArray[Any], values: NDArray[Any], ticks: Ticks
    ) -> float:
        return self._kernel(audio, before, values, self._memory)

    def _forget(self) -> None:
        for part in self._memory:
            part[:] = np.zeros(1, part.dtype)
        self._before, self._quiet, self._asleep = None, 0, True

    def ringing(self) -> bool:
        """Whether something of what went in may still come out."""
        return not self._asleep

    def copied(self) -> CompiledEffect:
        """The same effect, going its own way from here."""
        other = copy.copy(self)
        parts = [part.copy() for part in self._memory]
        # named or not
        make = getattr(self._memory, "_make", tuple)
        other._memory = make(parts)
        return other

    def shown(self) -> list[float]:
        """What a picture of it shows now."""
        return [float(one) for one in self._memory[-1][: self.shown_count]]
