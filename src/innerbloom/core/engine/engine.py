"""The one engine: live playing, bounces and tests all call :meth:`Engine.render`."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.dsp.rates import SPAN, TICK
from innerbloom.core.engine.limiter import Limiter
from innerbloom.core.engine.looking import LayerLook, held_notes, look_at
from innerbloom.core.engine.program import Program
from innerbloom.core.engine.recording import Recording, as_it_stands, held_by_hand, moved_from
from innerbloom.core.engine.rendering import Rendering
from innerbloom.core.engine.section import Section
from innerbloom.core.engine.ways import Fader
from innerbloom.core.engine.worker import Worker
from innerbloom.core.instrument.owners import WHOLE_ID
from innerbloom.core.performance.events import (
    AnyEvent,
    EditProgram,
    Event,
    Recall,
    Renew,
    SetParameter,
)
from innerbloom.core.performance.take import Moved

_LEAVING_TICKS = 6
"""Ticks in which layers that an edit takes away fade out: 8 ms."""

Tap = Callable[[AnyEvent, int], None]
"""Is told each event as it takes effect, and the frame at which it does."""


@dataclass
class _Leaving:
    """A section on its way out: all of it in 8 ms, or as the same layers come in elsewhere."""

    section: Section
    fader: Fader | None = None
    left: int = _LEAVING_TICKS

    @property
    def heard(self) -> bool:
        return self.left > 0 if self.fader is None else self.fader.value > 0.0

    def gains(self, ticks: int) -> NDArray[np.float64]:
        """Its gain at the end of each of the next ticks."""
        if self.fader is not None:
            return self.fader.ramp(0.0, ticks)[:ticks]
        falling = np.clip((self.left - np.arange(1, ticks + 1)) / _LEAVING_TICKS, 0.0, 1.0)
        self.left -= ticks
        return np.asarray(falling)


class Engine(Rendering):
    """Everything that sounds.

    The output is 48 kHz, float32, stereo, its true peaks below the instrument's ceiling. The same
    program and events give the same samples however the calls to :meth:`.render` are cut, on one
    core or two, whatever the events are: gestures, moved controls, edits.

    Parameters
    ----------
    program : Program
    cores : {1, 2}
        How many threads render; may be set at any time.
    limited : bool
        Whether a limiter comes last. Without one the output is not bounded, and comes sooner.
    serial : int
        How many voices were struck before; chance goes on from there.

    Attributes
    ----------
    section : Section
        What sounds for the present program.
    taps : list of callable
        Are told each event as it takes effect; see :data:`Tap`.

    Examples
    --------
    >>> engine = Engine(program)
    >>> brighter = SetParameter("l1", "cutoff", 4_000, 24_000)
    >>> engine.render(48_000, [Event("on", 1, 57.0, 0.8), brighter])
    """

    def __init__(
        self, program: Program, *, cores: int = 1, limited: bool = True, serial: int = 0
    ) -> None:
        super().__init__()
        self.section = Section(program, serial=serial)
        self.cores = cores
        self.taps: list[Tap] = []
        self._limiter = Limiter() if limited else None
        self._leaving: list[_Leaving] = []
        self._second: Worker | None = None

    @property
    def latency(self) -> int:
        """Frames by which the output lags behind the events."""
        limiter = 0 if self._limiter is None else self._limiter.latency
        return self.section.mixer.latency(self.section.strips) + limiter

    @property
    def ceiling_db(self) -> float:
        """Highest true peak that the instrument asks for, in dBTP."""
        return self.section.setting(WHOLE_ID, "ceiling")

    # -- playing ---------------------------------------------------------------

    def _apply_due(self) -> None:
        while self._pending and self._pending[0].time <= self.now:
            event = self._pending.pop(0)
            match event:
                case SetParameter():
                    # what an edit has taken away meanwhile has no controls any more
                    if self.section.layout.has(event.owner, event.parameter):
                        self.section.set_parameter(event.owner, event.parameter, event.value)
                case EditProgram():
                    self._edit(event.program)
                case Renew():
                    self._renew(event.serial)
                case Recall():
                    self.section.recall(event.snapshot)
                case Event():
                    self.section.play(event)
            for tap in self.taps:
                tap(event, self.now)

    def _edit(self, program: Program) -> None:
        self.section, leaving = self.section.successor(program)
        if leaving is not None:
            self._leaving.append(_Leaving(leaving))

    def hear_stream(self, stream: str | None) -> None:
        """Let one shared stream alone be heard, or what goes past all of them; see :class:`.Mixer`."""
        self.section.mixer.stream = stream

    def _renew(self, serial: int) -> None:
        held, difference = held_by_hand(self.section), self.section.difference
        stream = self.section.mixer.stream
        self.section = Section(as_it_stands(self.section), serial=serial)
        self.section.hear_difference(difference)
        self.hear_stream(stream)
        self._leaving.clear()
        for event in held:
            self.section.play(event)
        if self._limiter is not None:
            self._limiter = Limiter(self.ceiling_db)

    def _most_ticks(self) -> int:
        return min(SPAN, self.section.ticks_until_border())

    def _run(self, out: NDArray[np.float32]) -> None:
        """A span of ticks, up to SPAN."""
        ticks, section = len(out) // TICK, self.section
        mixer = section.mixer
        mixer.begin(ticks, section.strips)
        moment = section.advance(ticks, self._worker())
        self._leaving += [_Leaving(one, Fader(1.0)) for one in section.left_behind]
        section.left_behind.clear()
        section.mix(moment, mixer)
        self._mix_leaving(ticks)
        mixer.end(out, moment)
        if self._limiter is not None:
            self._limiter.ceiling_db = self.ceiling_db
            self._limiter.process(out)
        self.now += len(out)

    def _worker(self) -> Worker | None:
        if self.cores < 2:
            return None
        self._second = self._second or Worker("voices")
        return self._second

    def _mix_leaving(self, ticks: int) -> None:
        for leaving in self._leaving:
            moment = leaving.section.advance(ticks, None)
            leaving.section.mix(moment, self.section.mixer, leaving.gains(ticks))
        self._leaving = [one for one in self._leaving if one.heard]

    # -- recording -------------------------------------------------------------

    def record(self) -> Recording:
        """Note all that happens from now on, as a stream that replays from zero.

        Where nothing sounds, everything begins anew, chance and free-running modulators
        included: the stream then replays to the very same samples. Else what sounds goes on, and
        a replay strikes anew the keys that are down.

        Examples
        --------
        >>> recording = engine.record()
        >>> engine.render(48_000, [Event("on", 1, 57.0, 0.8, engine.now)])
        >>> stream = recording.stop()
        """
        program, opening = as_it_stands(self.section), held_by_hand(self.section)
        exact = self.silent()
        if exact:
            self._renew(serial=0)
        else:
            opening += self.section.voices.keys_down()
        recording = Recording(self, program, exact, self.now, list(opening))
        self.taps.append(recording.note)
        return recording

    # -- what a stream of it begins with -----------------------------------------

    @property
    def program(self) -> Program:
        """What sounds, with controls as they stood when it last began anew."""
        return self.section.program

    @property
    def tempo(self) -> float:
        """Beats a minute, as set."""
        return self.section.setting(WHOLE_ID, "tempo")

    @property
    def serial(self) -> int:
        """How many voices have been struck."""
        return self.section.voices.serial

    def held(self) -> list[AnyEvent]:
        """Controllers, the pad and pedals as they stand."""
        return [*held_by_hand(self.section)]

    def keys_down(self) -> list[AnyEvent]:
        """The keys that are down, to be struck again."""
        return [*self.section.voices.keys_down()]

    def moved_since(self, program: Program) -> tuple[Moved, ...]:
        """Controls that stand elsewhere than a program says."""
        return moved_from(program, as_it_stands(self.section))

    # -- looking in ------------------------------------------------------------

    def sounding(self) -> int:
        """How many voices sound now, counting those being let go."""
        return self.section.sounding()

    def notes(self) -> list[tuple[float, float, float, float]]:
        """Rows of [note id, pitch, slide, pressure] of the notes that keys hold down."""
        return held_notes(self.section.voices.records)

    def silent(self) -> bool:
        """Whether nothing sounds, nothing rings and nothing is due."""
        if self.sounding() or self._pending or self._leaving:
            return False
        limiting = self._limiter is not None and self._limiter.ringing()
        ringing = any(strip.ringing() for strip in self.section.strips)
        return not (limiting or ringing or self.section.mixer.ringing())

    def tail_s(self) -> float:
        """At most how long effects sound on once no voice does, in seconds."""
        return self.section.mixer.tail_s(self.section.strips)

    def held_down_db(self) -> float:
        """Most that the limiter took away since the last call, in dB, 0 or below."""
        return 0.0 if self._limiter is None else self._limiter.reduction_db()

    def look(self, most: int = 256) -> list[LayerLook]:
        """What each layer is doing, for pictures; see :mod:`.looking`."""
        return [look_at(layer, most) for layer in self.section.layers]
