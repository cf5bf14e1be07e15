"""A chain of effects: what one stream passes, one after another."""

from __future__ import annotations

import copy

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.engine.clock import Moment
from innerbloom.core.engine.effect_slot import (
    CHANGE_TICKS,
    ENTER_TICKS,
    Fed,
    Slot,
    Tap,
    crossed_over,
)
from innerbloom.core.engine.program import EffectProgram


def _entering(program: EffectProgram) -> Slot:
    """An effect that joins a chain while it sounds."""
    slot = Slot(program)
    slot.entering = ENTER_TICKS
    return slot


def _pass(slots: list[Slot], audio: NDArray[np.float32], moment: Moment) -> None:
    """Send whole ticks through a chain, in place."""
    settings = [slot.settings(moment) for slot in slots]
    both = list(zip(slots, settings, strict=True))
    fed = Fed(any(slot.stands_beside(one) for slot, one in both))
    fed.note(audio)
    for slot, one in both:
        slot.process(audio, moment, one, fed)


class Chain:
    """The effects of one stream, in order.

    Parameters
    ----------
    programs : tuple of EffectProgram

    Attributes
    ----------
    latency : int
        Frames by which the stream lags behind.
    """

    def __init__(self, programs: tuple[EffectProgram, ...]) -> None:
        self._slots = [Slot(one) for one in programs]
        self._before: list[Slot] = []
        self._left = 0
        self.latency = self._latency()

    def _latency(self) -> int:
        return sum(slot.effect.latency for slot in self._slots)

    @property
    def empty(self) -> bool:
        """Whether it leaves everything as it is."""
        return not (self._slots or self._left)

    def ringing(self) -> bool:
        """Whether something is still to come out."""
        return bool(self._slots or self._before) and any(
            slot.effect.ringing() for slot in (*self._slots, *self._before)
        )

    def tail_s(self) -> float:
        """At most how long it sounds on once nothing goes in."""
        return sum(slot.effect.tail_s() for slot in self._slots)

    def change(self, programs: tuple[EffectProgram, ...]) -> None:
        """Take over other effects: those that are the same go on, and the rest crosses over."""
        was = [slot.program for slot in self._slots]
        same = len(was) == len(programs) and all(
            new.same_as(old) for new, old in zip(programs, was, strict=True)
        )
        if same:
            return
        before = [slot.copied() for slot in self._slots]
        known = {slot.program.id: slot for slot in self._slots}
        slots = []
        for one in programs:
            old = known.get(one.id)
            slots.append(old if old is not None and old.program.same_as(one) else _entering(one))
        self._slots, self._before, self._left = slots, before, CHANGE_TICKS
        self.latency = self._latency()

    def hear_difference(self, effect: str | None) -> bool:
        """Let only what one effect changes be heard of it; whether it stands in this chain."""
        for slot in self._slots:
            slot.alone = slot.program.id == effect
        return any(slot.alone for slot in self._slots)

    def watch(self, effect: str | None, tap: Tap | None) -> None:
        """Show what goes in and what comes out of one effect, if it stands in this chain, and of no other."""
        for slot in self._slots:
            slot.tap = tap if slot.program.id == effect else None

    def shown(self) -> dict[str, list[float]]:
        """What pictures of its effects show now, by their ids."""
        return {slot.program.id: slot.effect.shown() for slot in self._slots}

    def copied(self) -> Chain:
        """The same chain, going its own way from here."""
        other = copy.copy(self)
        other._slots = [slot.copied() for slot in self._slots]
        other._before = [slot.copied() for slot in self._before]
        return other

    def process(self, audio: NDArray[np.float32], moment: Moment) -> None:
        """Send whole ticks through, in place."""
        if self._left:
            self._cross_over(audio, moment)
        elif self._slots:
            _pass(self._slots, audio, moment)

    def _cross_over(self, audio: NDArray[np.float32], moment: Moment) -> None:
        before = audio.copy()
        _pass(self._before, before, moment)
        _pass(self._slots, audio, moment)
        self._left = crossed_over(before, audio, self._left)
        if not self._left:
            self._before = []
