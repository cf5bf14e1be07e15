"""A chain of effects: what one stream passes, one after another."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.parameters import default_record, option
from innerbloom.core.dsp.rates import TICK
from innerbloom.core.effects import EFFECT, EFFECT_KINDS, Effect, Ticks
from innerbloom.core.engine.clock import Moment
from innerbloom.core.engine.program import EffectProgram

_ON = option(EFFECT, "on", "on")
_STEP = 0.15
"""Share of the way between off and on made in a tick (time constant 8 ms)."""

_CHANGE_TICKS = 6
"""Ticks in which a chain that was changed takes over from what it was."""


class _Slot:
    """One effect in a chain, and how much of it is heard: at first, as it is set."""

    def __init__(self, program: EffectProgram) -> None:
        self.program = program
        self.heard: float | None = None
        self.effect = self._fresh()
        self._last = default_record(EFFECT_KINDS[program.kind].declared)

    def _fresh(self) -> Effect:
        return EFFECT_KINDS[self.program.kind].make(self.program.made)

    def copied(self) -> _Slot:
        other = copy.copy(self)
        other.effect = self.effect.copied()
        return other

    def _settings(self, moment: Moment) -> NDArray[Any]:
        """Its settings; the last ones where it is on its way out and has none any more."""
        if moment.knows(self.program.id):
            values = moment.settings_of(self.program.id)
            self._last = values[-1:].copy()
            return values
        return np.repeat(self._last, moment.ticks)

    def process(self, audio: NDArray[np.float32], moment: Moment) -> None:
        """Send whole ticks through, easing between off and on."""
        values = self._settings(moment)
        wanted = 1.0 if values["on"][0] == _ON else 0.0
        if self.heard is None:
            self.heard = wanted
        if self.heard == wanted:
            if wanted:
                self._work(audio, moment, values)
            return
        self._ease(audio, moment, values, wanted)

    def _ease(
        self, audio: NDArray[np.float32], moment: Moment, values: NDArray[Any], wanted: float
    ) -> None:
        heard = wanted if self.heard is None else self.heard
        wet = audio.copy()
        self._work(wet, moment, values)
        for tick in range(len(audio) // TICK):
            before = heard
            heard += _STEP * (wanted - heard)
            if abs(wanted - heard) < 1e-4:
                heard = wanted
            share = (before + (heard - before) * _RAMP).astype(np.float32)
            piece = slice(tick * TICK, (tick + 1) * TICK)
            audio[piece] += share * (wet[piece] - audio[piece])
        self.heard = heard
        if heard == 0.0:
            # whatever still rang is gone: it begins anew
            self.effect = self._fresh()

    def _work(self, audio: NDArray[np.float32], moment: Moment, values: NDArray[Any]) -> None:
        """Work on what sounds; an effect that has rung out sleeps through silence."""
        count = len(audio) // TICK
        sounds: NDArray[np.bool_] = np.abs(audio).reshape(count, -1).max(axis=1) > 0.0
        if sounds.all():
            self.effect.process(audio, Ticks(moment.first, moment.age_s, values))
            return
        for tick in range(count):
            if sounds[tick] or self.effect.ringing():
                piece = audio[tick * TICK : (tick + 1) * TICK]
                self.effect.process(piece, moment.at(tick, values))


_RAMP = (np.arange(1, TICK + 1, dtype=np.float32) / TICK)[:, None]


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
        self._slots = [_Slot(one) for one in programs]
        self._before: list[_Slot] = []
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
            slots.append(old if old is not None and old.program.same_as(one) else _Slot(one))
        self._slots, self._before, self._left = slots, before, _CHANGE_TICKS
        self.latency = self._latency()

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
            return
        for slot in self._slots:
            slot.process(audio, moment)

    def _cross_over(self, audio: NDArray[np.float32], moment: Moment) -> None:
        before = audio.copy()
        for slot in self._before:
            slot.process(before, moment)
        for slot in self._slots:
            slot.process(audio, moment)
        ticks = len(audio) // TICK
        borders = np.clip((self._left - np.arange(ticks + 1)) / _CHANGE_TICKS, 0.0, 1.0)
        share = np.interp(np.arange(1, len(audio) + 1) / TICK, np.arange(ticks + 1), borders)
        audio += share[:, None].astype(np.float32) * (before - audio)
        self._left = max(0, self._left - ticks)
        if not self._left:
            self._before = []
