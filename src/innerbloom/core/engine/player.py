"""One player of an ensemble: the keys it answers to, its phrase, its engine and its level."""

from __future__ import annotations

import time
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.parameters import option
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.engine.engine import Engine
from innerbloom.core.engine.ensemble_program import PlayerProgram, Values
from innerbloom.core.engine.kernels.mixing import peak_of
from innerbloom.core.engine.program import Program
from innerbloom.core.engine.ways import Delay
from innerbloom.core.ensemble.parameters import PLAYER
from innerbloom.core.performance.events import AnyEvent, EditProgram, Event, OfPlayer
from innerbloom.core.performance.phrase import Phrase
from innerbloom.core.units import db_to_gain

_MUTED = option(PLAYER, "mute", "on")
_QUIETEST_DB = -60.0
_STEP, _THERE = 0.15, 1e-5
_OF_A_NOTE = ("off", "bend", "pressure", "slide")
_LOAD_STEP = 0.05


class Level:
    """A gain on its way to where it is wanted, a step a tick."""

    def __init__(self, value: float) -> None:
        self.value = value

    def ramp(self, wanted: float, ticks: int) -> NDArray[np.float32]:
        """The gain of each frame of the next ticks, shape (frames, 1)."""
        if self.value == wanted:
            return np.full((ticks * TICK, 1), wanted, np.float32)
        borders = [self.value]
        for _ in range(ticks):
            self.value += _STEP * (wanted - self.value)
            if abs(wanted - self.value) < _THERE:
                self.value = wanted
            borders.append(self.value)
        frames = np.arange(1, ticks * TICK + 1) / TICK
        return np.interp(frames, np.arange(ticks + 1), borders)[:, None].astype(np.float32)


def gain_of(level_db: float) -> float:
    """Linear gain of a level, whose lowest is silence."""
    return 0.0 if level_db <= _QUIETEST_DB else db_to_gain(level_db)


class EnsemblePlayer:
    """What one player of an ensemble keeps.

    Parameters
    ----------
    program : PlayerProgram
    values : dict
        Settings of the whole ensemble; the player's own are among them.
    start : int
        The ensemble's frame at which it comes in.
    tempo : float

    Attributes
    ----------
    load : float
        Share of real time that its sound takes, 0 and up.
    leaving : bool
        It is on its way out.
    """

    def __init__(self, program: PlayerProgram, values: Values, start: int, tempo: float) -> None:
        self.id, self._values, self._start = program.id, values, start
        self.compiled: Program | None = program.program
        self.engine = None if program.program is None else Engine(program.program, limited=False)
        seed = int(values[program.id, "seed"])
        self.phrase = Phrase(program.phrase, tempo, seed=seed)
        self.leaving = False
        self._levels = [Level(gain) for gain in self._wanted()]
        self._delay = Delay()
        self._notes: set[int] = set()
        self._due: list[AnyEvent] = []
        self.load = self._peak = 0.0

    def change(self, program: PlayerProgram, values: Values, now: int) -> None:
        """Go on as another program of the same player says."""
        self._values = values
        for event in self.phrase.configure(program.phrase, now):
            self._due.append(event)
        if program.program is None:
            self.engine = self.compiled = None
        elif self.engine is None:
            self.engine, self._start = Engine(program.program, limited=False), now
        elif program.program is not self.compiled:
            self._due.append(EditProgram(program.program, now))
        self.compiled = program.program

    def _setting(self, parameter: str) -> float:
        return self._values[self.id, parameter]

    def _wanted(self) -> tuple[float, float]:
        """The gains of both sides: pan only ever lowers one, and in the middle changes nothing."""
        if self.leaving or self._setting("mute") == _MUTED:
            return 0.0, 0.0
        gain, pan = gain_of(self._setting("level")), self._setting("pan") / 100.0
        return gain * min(1.0, 1.0 - pan), gain * min(1.0, 1.0 + pan)

    @property
    def latency(self) -> int:
        """Frames by which it lags behind its events."""
        return 0 if self.engine is None else self.engine.latency

    # -- what is played ---------------------------------------------------------

    def answers_to(self, event: Event) -> bool:
        """Whether something that is played is for this player."""
        channel = self._setting("channel")
        if channel and event.channel and event.channel != channel:
            return False
        if event.kind in _OF_A_NOTE:
            return event.note in self._notes
        if event.kind != "on":
            return True
        velocity = round(127.0 * event.value)
        return self._setting("key_low") <= round(event.key) <= self._setting(
            "key_high"
        ) and self._setting("velocity_low") <= velocity <= self._setting("velocity_high")

    def hear(self, event: Event, until: int) -> None:
        """Something that is played, if it is for this player; ``until`` is the present frame."""
        if not self.answers_to(event):
            return
        if event.kind == "on":
            self._notes.add(event.note)
            event = replace(
                event, key=float(np.clip(event.key + self._setting("transpose"), 0, 127))
            )
        elif event.kind == "off":
            self._notes.discard(event.note)
        elif event.kind == "panic":
            self._notes.clear()
        self._due += self.phrase.play([event], until)

    def direct(self, event: AnyEvent) -> None:
        """Something that happens to its engine, past keys and phrase."""
        self._due.append(event)

    def due(self, until: int) -> list[OfPlayer]:
        """All that happens to its engine up to a frame, each at its tick."""
        events, self._due = [*self._due, *self.phrase.play([], until)], []
        return [OfPlayer(self.id, one, -(-one.time // TICK) * TICK) for one in events]

    # -- sound --------------------------------------------------------------------

    def render(self, ticks: int, events: list[OfPlayer], slowest: int) -> NDArray[np.float32]:
        """The next ticks, as late as the slowest of all players."""
        began = time.perf_counter()
        frames = ticks * TICK
        if self.engine is None:
            return np.zeros((frames, 2), np.float32)
        own = [replace(one.event, time=one.time - self._start) for one in events]
        sound = self.engine.render(frames, own)
        self._delay.process(sound, slowest - self.latency)
        self._set_level(sound, ticks)
        self._peak = max(self._peak, float(peak_of(sound)))
        share = (time.perf_counter() - began) * RATE / frames
        self.load += min(1.0, _LOAD_STEP * ticks) * (share - self.load)
        return sound

    def _set_level(self, sound: NDArray[np.float32], ticks: int) -> None:
        left, right = wanted = self._wanted()
        if left == right and all(level.value == left for level in self._levels):
            if left != 1.0:
                sound *= np.float32(left)
            return
        gains = zip(self._levels, wanted, strict=True)
        sound *= np.hstack([level.ramp(gain, ticks) for level, gain in gains])

    def take_peak(self) -> float:
        """Highest sample since the last call, after its level."""
        peak, self._peak = self._peak, 0.0
        return peak

    @property
    def gone(self) -> bool:
        """Whether it has left."""
        return self.leaving and (self.engine is None or not any(one.value for one in self._levels))

    def silent(self) -> bool:
        """Whether nothing sounds and nothing is due."""
        quiet = self.engine is None or (self.engine.silent() and not self._delay.ringing())
        return quiet and not self._due and not self.phrase.running
