"""One effect in a chain: switched without a click, set beside the one before, heard alone, watched."""

from __future__ import annotations

import copy
from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.parameters import Choice, default_record, option, settings_dtype
from innerbloom.core.dsp.rates import TICK
from innerbloom.core.effects import EFFECT, EFFECT_KINDS, Effect, Ticks
from innerbloom.core.engine.clock import Moment, one_tick
from innerbloom.core.engine.kernels.mixing import sounding_ticks
from innerbloom.core.engine.program import EffectProgram
from innerbloom.core.engine.ways import Delay, Fader

_ON = option(EFFECT, "on", "on")
_BESIDE = [one.id for one in EFFECT].index("beside")
_STEP = 0.1
"""Share of the way between off and on made in a tick (time constant 13 ms)."""

CHANGE_TICKS = 10
"""Ticks in which a chain that was changed takes over from what it was."""

Tap = Callable[[NDArray[np.float32], NDArray[np.float32]], None]
"""Is shown what went into an effect and what came out, each of shape (n, 2)."""

ENTER_TICKS = 4
"""Ticks in which what goes into an effect that joins a chain comes up from silence."""


class SlotSettings(NamedTuple):
    """What an effect is set to in some ticks.

    Attributes
    ----------
    values : record array, shape (ticks,)
        By name.
    on : bool
        Whether it is on at the beginning.
    beside : ndarray, shape (ticks,), or None
        How far it stands beside the one before, 0..1; None where not at all.
    """

    values: NDArray[Any]
    on: bool
    beside: NDArray[np.float64] | None


class Slot:
    """One effect in a chain, and how much of it is heard: at first, as it is set."""

    def __init__(self, program: EffectProgram) -> None:
        self.program = program
        self.heard: float | None = None
        self.effect = self._fresh()
        self._declared = declared = EFFECT_KINDS[program.kind].declared
        self._type, self._width = settings_dtype(declared), len(declared)
        self._choices = [
            (place, one.id)
            for place, one in enumerate(declared)
            if isinstance(one, Choice) and one.id != EFFECT[0].id
        ]
        self._silent_for = -(-self.effect.latency // TICK)
        self.entering = 0
        self._last = default_record(declared).view(np.float64).reshape(1, -1)
        self._chosen: list[float] | None = None
        self._turn: _Turn | None = None
        self._was_beside: float | None = None
        self.alone = False
        self.tap: Tap | None = None
        self.difference = Fader(0.0)
        self._dry_delay = Delay()
        self._shared_delay, self._through_delay = Delay(), Delay()

    def _fresh(self) -> Effect:
        return EFFECT_KINDS[self.program.kind].make(self.program.made)

    def copied(self) -> Slot:
        other = copy.copy(self)
        other.effect, other.tap = self.effect.copied(), None
        other._shared_delay = copy.copy(self._shared_delay)
        other._through_delay = copy.copy(self._through_delay)
        other._dry_delay = copy.copy(self._dry_delay)
        other.difference = copy.copy(self.difference)
        other._turn = None if self._turn is None else self._turn.copied()
        return other

    def settings(self, moment: Moment) -> SlotSettings:
        """Its settings; the last ones where it is on its way out and has none any more."""
        if moment.knows(self.program.id, self._declared):
            rows = moment.rows_of(self.program.id, self._width)
            self._note_choices(rows)
            self._last = rows[-1:]
        else:
            rows = np.repeat(self._last, moment.ticks, axis=0)
        # a record array over the same numbers, made without the checks of a view
        values = np.ndarray((len(rows),), self._type, rows)
        shares = rows[:, _BESIDE].tolist()
        beside = 0.01 * rows[:, _BESIDE] if any(shares) else None
        return SlotSettings(values, bool(rows[0, 0] == _ON), beside)

    def _note_choices(self, rows: NDArray[np.float64]) -> None:
        """Where another word is chosen, what was chosen before fades out beside it."""
        if not self._choices:
            return
        first = rows[0].tolist()
        chosen = [first[place] for place, _ in self._choices]
        if self.heard and self._chosen is not None and chosen != self._chosen:
            words = {id_: one for (_, id_), one in zip(self._choices, self._chosen, strict=True)}
            self._turn = _Turn(self.effect.copied(), words)
        self._chosen = chosen

    def process(
        self, audio: NDArray[np.float32], moment: Moment, settings: SlotSettings, fed: Fed
    ) -> None:
        """Send whole ticks through, past whoever watches."""
        if self.tap is None:
            self._process(audio, moment, settings, fed)
            return
        before = audio.copy()
        self._process(audio, moment, settings, fed)
        self.tap(before, audio)

    def _process(
        self, audio: NDArray[np.float32], moment: Moment, settings: SlotSettings, fed: Fed
    ) -> None:
        """Send whole ticks through, easing between off and on."""
        wanted = 1.0 if settings.on else 0.0
        if self.heard is None:
            self.heard = wanted
        beside = self._beside(settings) if fed.wanted else None
        if not fed.wanted:
            self._was_beside = 0.0
        late = self._late(audio)
        if self._just_works(wanted) and not fed.wanted:
            run_effect(self.effect, audio, moment.seen_by(settings.values, self.program.listens_to))
            return
        if self.heard == wanted == 0.0:
            if beside is None:
                fed.note(audio)
            audio[:] = late
            fed.latency += self.effect.latency
            return
        if self.entering:
            self._enter(audio)
        ticks = moment.seen_by(settings.values, self.program.listens_to)
        if beside is None:
            fed.note(audio)
            self._run_eased(audio, ticks, wanted, late)
        else:
            self._run_beside(audio, ticks, wanted, beside, fed)
        fed.latency += self.effect.latency
        if self._hears_difference():
            self._leave_difference(audio, late)

    def _just_works(self, wanted: float) -> bool:
        """Whether it is on and nothing about it changes, as is so nearly always."""
        changes = self.entering or self._turn is not None
        return self.heard == wanted == 1.0 and not changes and not self._hears_difference()

    def _hears_difference(self) -> bool:
        return self.alone or self.difference.value > 0.0

    def _enter(self, audio: NDArray[np.float32]) -> None:
        """Let what goes in begin softly: it would come out of a delay as a click."""
        ticks = len(audio) // TICK
        done = ENTER_TICKS - self.entering + np.arange(1, len(audio) + 1) / TICK
        share = 0.5 - 0.5 * np.cos(np.pi * np.minimum(done / ENTER_TICKS, 1.0))
        audio *= share[:, None].astype(np.float32)
        self.entering = max(0, self.entering - ticks)

    def _late(self, audio: NDArray[np.float32]) -> NDArray[np.float32]:
        """What goes in, as late as what comes out: what is heard of it where it is off."""
        if self.effect.latency == 0 and not self._needs_dry():
            return audio
        late = audio.copy()
        self._dry_delay.process(late, self.effect.latency)
        return late

    def _needs_dry(self) -> bool:
        return self._hears_difference() or self.heard not in (0.0, 1.0)

    def _leave_difference(self, audio: NDArray[np.float32], before: NDArray[np.float32]) -> None:
        """Take what went in away from what came out, as far as only the difference is wanted."""
        ticks = len(audio) // TICK
        from_ = self.difference.value
        ends = self.difference.ramp(1.0 if self.alone else 0.0, ticks)[:ticks]
        gains = np.interp(
            np.arange(1, len(audio) + 1) / TICK,
            np.arange(ticks + 1),
            np.concatenate(([from_], ends)),
        )
        audio -= gains.astype(np.float32)[:, None] * before

    def stands_beside(self, settings: SlotSettings) -> bool:
        """Whether it takes, or took at the end of the last tick, what the one before it took."""
        return bool(self._was_beside) or settings.beside is not None

    def _beside(self, settings: SlotSettings) -> NDArray[np.float32] | None:
        """How far it stands beside the one before at each frame; None where not at all."""
        count = len(settings.values)
        now = np.zeros(count) if settings.beside is None else settings.beside
        before = now[0] if self._was_beside is None else self._was_beside
        ends = np.concatenate(([before], now))
        self._was_beside = float(ends[-1])
        if not ends.any():
            return None
        moments = np.arange(1, count * TICK + 1) / TICK
        return np.interp(moments, np.arange(len(ends)), ends).astype(np.float32)[:, None]

    def _run_beside(
        self,
        audio: NDArray[np.float32],
        ticks: Ticks,
        wanted: float,
        beside: NDArray[np.float32],
        fed: Fed,
    ) -> None:
        shared = fed.audio.copy()
        self._shared_delay.process(shared, fed.latency)
        given = audio + beside * (shared - audio)
        made = given.copy()
        self._through_delay.process(audio, self.effect.latency)
        self._run_eased(made, ticks, wanted, audio - beside * audio)
        audio *= beside
        audio += made
        fed.audio, fed.latency = given, 0

    def _run_eased(
        self,
        audio: NDArray[np.float32],
        ticks: Ticks,
        wanted: float,
        off: NDArray[np.float32],
    ) -> None:
        """Work on whole ticks; while it is switched, ease to or from what is heard when off."""
        if self.heard == wanted:
            self._work(audio, ticks)
            return
        heard = wanted if self.heard is None else self.heard
        without = off.copy() if off is audio else off
        self._work(audio, ticks)
        for tick in range(len(audio) // TICK):
            before = heard
            if wanted and self._silent_for > 0:
                # what comes late has nothing to give yet
                self._silent_for -= 1
            else:
                heard += _STEP * (wanted - heard)
            if abs(wanted - heard) < 1e-4:
                heard = wanted
            share = (before + (heard - before) * _RAMP).astype(np.float32)
            piece = slice(tick * TICK, (tick + 1) * TICK)
            audio[piece] = without[piece] + share * (audio[piece] - without[piece])
        self.heard = heard
        if heard == wanted == 0.0:
            # whatever still rang is gone: it begins anew
            self.effect, self._turn = self._fresh(), None
            self._silent_for = -(-self.effect.latency // TICK)

    def _work(self, audio: NDArray[np.float32], ticks: Ticks) -> None:
        if self._turn is None:
            run_effect(self.effect, audio, ticks)
            return
        before = audio.copy()
        values = ticks.values.copy()
        for name, chosen in self._turn.chosen.items():
            values[name] = chosen
        run_effect(self._turn.effect, before, ticks._replace(values=values))
        run_effect(self.effect, audio, ticks)
        self._turn.left = crossed_over(before, audio, self._turn.left)
        if not self._turn.left:
            self._turn = None


class Fed:
    """What the effect before was given, and frames by which what it gave lies behind that.

    Parameters
    ----------
    wanted : bool
        Whether anyone takes it.
    """

    def __init__(self, wanted: bool) -> None:
        self.wanted = wanted
        self.audio, self.latency = np.zeros((0, 2), np.float32), 0

    def note(self, audio: NDArray[np.float32]) -> None:
        """What an effect in line is given."""
        if self.wanted:
            self.audio = audio.copy()
        self.latency = 0


class _Turn:
    """An effect that fades out as it was, before another word was chosen."""

    def __init__(self, effect: Effect, chosen: dict[str, float]) -> None:
        self.effect, self.chosen, self.left = effect, chosen, CHANGE_TICKS

    def copied(self) -> _Turn:
        """The same, going its own way from here."""
        other = copy.copy(self)
        other.effect = self.effect.copied()
        return other


def run_effect(effect: Effect, audio: NDArray[np.float32], ticks: Ticks) -> None:
    """Work on what sounds; an effect that has rung out sleeps through silence."""
    count = len(audio) // TICK
    sounding = sounding_ticks(audio)
    if sounding == (1 << count) - 1:
        effect.process(audio, ticks)
        return
    for tick in range(count):
        sounds = bool(sounding >> tick & 1)
        if sounds or effect.ringing():
            piece = audio[tick * TICK : (tick + 1) * TICK]
            effect.process(piece, one_tick(ticks, tick, sounds))


def crossed_over(before: NDArray[np.float32], audio: NDArray[np.float32], left: int) -> int:
    """Fade ``before`` out into ``audio``, in place; gives the ticks that are left."""
    ticks = len(audio) // TICK
    borders = np.clip((left - np.arange(ticks + 1)) / CHANGE_TICKS, 0.0, 1.0)
    share = np.interp(np.arange(1, len(audio) + 1) / TICK, np.arange(ticks + 1), borders)
    # a raised cosine, whose slope has no corners that would be heard
    eased = 0.5 - 0.5 * np.cos(np.pi * share)
    audio += eased[:, None].astype(np.float32) * (before - audio)
    return max(0, left - ticks)


_RAMP = (np.arange(1, TICK + 1, dtype=np.float32) / TICK)[:, None]
