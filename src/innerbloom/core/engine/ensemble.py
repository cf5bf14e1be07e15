"""Several instruments as one: each has an engine of its own, and what they make is added."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.parameters import engine_value
from innerbloom.core.dsp.rates import TICK
from innerbloom.core.engine.ensemble_program import EnsembleProgram, declared_of
from innerbloom.core.engine.limiter import Limiter
from innerbloom.core.engine.player import EnsemblePlayer, Level, gain_of
from innerbloom.core.engine.rendering import Rendering
from innerbloom.core.engine.worker import Worker
from innerbloom.core.ensemble.document import ENSEMBLE_ID
from innerbloom.core.instrument.owners import WHOLE_ID
from innerbloom.core.performance.events import (
    AnyEvent,
    EditProgram,
    Event,
    OfPlayer,
    Renew,
    SetParameter,
)
from innerbloom.core.performance.take import Moved

_SPAN = 16
"""Most ticks in which nothing but what phrases make may happen."""


class EnsembleEngine(Rendering):
    """Everything that sounds of an ensemble.

    As :class:`.Engine`, for several instruments at once: each player's sound is that of its
    instrument alone, with the player's seed and the ensemble's tempo, and what is heard is their
    sum. The same events give the same samples however calls are cut, on one core or two.

    Parameters
    ----------
    program : EnsembleProgram
    cores : {1, 2}
        How many threads render; may be set at any time.
    limited : bool
        Whether a limiter comes last.

    Attributes
    ----------
    players : dict of id to EnsemblePlayer
    values : dict of (owner, parameter) to float
        Settings of the ensemble and its players, as they stand.
    taps : list of callable
        Are told each event as it takes effect; what reaches a player as :class:`.OfPlayer`.
    """

    def __init__(
        self, program: EnsembleProgram, *, cores: int = 1, limited: bool = True
    ) -> None:  # fmt: skip
        super().__init__()
        self.program = program
        self.values = dict(program.values)
        self.cores = cores
        self.taps: list[Callable[[AnyEvent, int], None]] = []
        self.players = {
            one.id: EnsemblePlayer(one, self.values, 0, self.tempo) for one in program.players
        }
        self._level = Level(self._wanted())
        self._limiter = Limiter() if limited else None
        self._leaving: list[EnsemblePlayer] = []
        self._worker: Worker | None = None
        self._down: dict[int, Event] = {}

    def _wanted(self) -> float:
        return gain_of(self.values[ENSEMBLE_ID, "level"])

    @property
    def latency(self) -> int:
        """Frames by which the output lags behind the events."""
        limiter = 0 if self._limiter is None else self._limiter.latency
        return self._slowest() + limiter

    @property
    def ceiling_db(self) -> float:
        """Highest true peak that is let out, in dBTP."""
        return self.values[ENSEMBLE_ID, "ceiling"]

    def _slowest(self) -> int:
        return max((one.latency for one in self._all()), default=0)

    def _all(self) -> list[EnsemblePlayer]:
        return [*self.players.values(), *self._leaving]

    # -- playing ------------------------------------------------------------------

    def _most_ticks(self) -> int:
        return _SPAN

    def _apply_due(self) -> None:
        while self._pending and self._pending[0].time <= self.now:
            event = replace(self._pending.pop(0), time=self.now)
            match event:
                case OfPlayer():
                    if event.player in self.players:
                        self.players[event.player].direct(event.at())
                    # told with what comes of phrases, in order
                    continue
                case Event():
                    self._hear(event)
                    continue
                case SetParameter():
                    self._set(event)
                case EditProgram():
                    self._edit(event.program)
                case Renew():
                    self._renew()
            for tap in self.taps:
                tap(event, self.now)

    def _hear(self, event: Event) -> None:
        if event.kind == "on":
            self._down[event.note] = event
        elif event.kind == "off":
            self._down.pop(event.note, None)
        elif event.kind == "panic":
            self._down.clear()
        for player in self.players.values():
            player.hear(event, self.now)

    def _set(self, event: SetParameter) -> None:
        declared = next(
            (one for one in declared_of(event.owner) if one.id == event.parameter), None
        )
        if declared is None or (event.owner, event.parameter) not in self.values:
            # what an edit has taken away meanwhile has no controls any more
            return
        self.values[event.owner, event.parameter] = engine_value(declared, event.value)
        if (event.owner, event.parameter) == (ENSEMBLE_ID, "tempo"):
            self._keep_tempo()
        elif event.parameter == "seed":
            player = self.players[event.owner]
            player.phrase.seed = int(self.values[event.owner, "seed"])
            player.direct(SetParameter(WHOLE_ID, "seed", float(player.phrase.seed), self.now))

    def _keep_tempo(self) -> None:
        for player in self.players.values():
            player.phrase.set_tempo(self.tempo, self.now)
            player.direct(SetParameter(WHOLE_ID, "tempo", self.tempo, self.now))

    def _edit(self, program: EnsembleProgram) -> None:
        self.program, tempo = program, self.tempo
        self.values = dict(program.values)
        before, self.players = self.players, {}
        for one in program.players:
            known = before.pop(one.id, None)
            if known is not None:
                known.change(one, self.values, self.now)
                known.phrase.seed = int(self.values[one.id, "seed"])
            else:
                known = EnsemblePlayer(one, self.values, self.now, self.tempo)
                for event in self._down.values():
                    known.hear(replace(event, time=self.now), self.now)
            self.players[one.id] = known
        for gone in before.values():
            gone.leaving = True
            self._leaving.append(gone)
        if tempo != self.tempo:
            for player in self.players.values():
                player.phrase.set_tempo(self.tempo, self.now)

    def _renew(self) -> None:
        self._leaving.clear()
        for player in self.players.values():
            if player.engine is not None:
                serial = player.engine.section.voices.serial
                player.direct(Renew(serial, self.now))
        if self._limiter is not None:
            self._limiter = Limiter(self.ceiling_db)

    # -- sound ----------------------------------------------------------------------

    def _run(self, out: NDArray[np.float32]) -> None:
        if self._worker is not None and self.cores > 1:
            self._worker.wake()
        ticks = len(out) // TICK
        until = self.now + len(out)
        everyone = self._all()
        due = {id(one): one.due(until) for one in everyone}
        self._tell(sorted((e for some in due.values() for e in some), key=lambda e: e.time))
        slowest = self._slowest()
        sounds: dict[int, NDArray[np.float32]] = {}

        def render(some: list[EnsemblePlayer]) -> None:
            for one in some:
                sounds[id(one)] = one.render(ticks, due[id(one)], slowest)

        first, second = _shared_out(everyone, self.cores)
        if second:
            self._worker = self._worker or Worker("players")
            self._worker.both(partial(render, first), partial(render, second))
        else:
            render(first)
        for one in everyone:
            # always in the same order
            out += sounds[id(one)]
        out *= self._level.ramp(self._wanted(), ticks)
        self._leaving = [one for one in self._leaving if not one.gone]
        if self._limiter is not None:
            self._limiter.ceiling_db = self.ceiling_db
            self._limiter.process(out)
        self.now += len(out)

    def _tell(self, events: list[OfPlayer]) -> None:
        for event in events:
            if isinstance(event.event, EditProgram):
                # told as an edit of the ensemble already
                continue
            for tap in self.taps:
                tap(event, event.time)

    # -- what a stream of it begins with -----------------------------------------

    @property
    def tempo(self) -> float:
        """Beats a minute, as set."""
        return self.values[ENSEMBLE_ID, "tempo"]

    @property
    def serial(self) -> int:
        """Each player counts its own voices: a stream says how far each has come."""
        return 0

    def held(self) -> list[AnyEvent]:
        """How far each player's chance has come; controllers, pads and pedals as they stand."""
        return [
            OfPlayer.of(one.id, event)
            for one in self.players.values()
            if one.engine is not None
            for event in (Renew(one.engine.serial), *one.engine.held())
        ]

    def keys_down(self) -> list[AnyEvent]:
        """The keys that each player holds, to be struck again."""
        return [
            OfPlayer.of(one.id, event)
            for one in self.players.values()
            if one.engine is not None
            for event in one.engine.keys_down()
        ]

    def moved_since(self, program: EnsembleProgram) -> tuple[Moved, ...]:
        """Controls of the ensemble and its players that stand elsewhere than a program says."""
        return tuple(
            (*key, value) for key, value in self.values.items() if program.values.get(key) != value
        )

    # -- looking in -------------------------------------------------------------------

    def sounding(self) -> int:
        """How many voices sound now, counting those being let go."""
        return sum(one.engine.sounding() for one in self._all() if one.engine is not None)

    def notes(self) -> list[tuple[float, float, float, float]]:
        """Rows of [note id, pitch, slide, pressure] of the keys that are held down."""
        return [(float(one.note), one.key, 0.0, 0.0) for one in self._down.values()]

    def silent(self) -> bool:
        """Whether nothing sounds, nothing rings and nothing is due."""
        if self._pending or self._leaving or not all(one.silent() for one in self._all()):
            return False
        return self._limiter is None or not self._limiter.ringing()

    def tail_s(self) -> float:
        """At most how long effects sound on once no voice does, in seconds."""
        return max((one.engine.tail_s() for one in self._all() if one.engine), default=0.0)


def _shared_out(
    players: list[EnsemblePlayer], cores: int
) -> tuple[list[EnsemblePlayer], list[EnsemblePlayer]]:
    """Who is rendered by which of two threads: the dearest first, each to the one that has less."""
    if cores < 2:
        return players, []
    shares: tuple[list[EnsemblePlayer], list[EnsemblePlayer]] = ([], [])
    loads = [0.0, 0.0]
    for one in sorted(players, key=lambda one: -one.load):
        less = int(loads[1] < loads[0])
        shares[less].append(one)
        loads[less] += one.load + 1e-6
    return shares
