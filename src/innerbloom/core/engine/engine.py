"""The one engine: live playing, bounces and tests all call :meth:`Engine.render`."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.dsp.rates import SPAN, TICK
from innerbloom.core.engine.limiter import Limiter
from innerbloom.core.engine.looking import LayerLook, held_notes, look_at
from innerbloom.core.engine.program import Program
from innerbloom.core.engine.recording import Recording, as_it_stands, held_by_hand
from innerbloom.core.engine.section import Section
from innerbloom.core.instrument.owners import WHOLE_ID
from innerbloom.core.performance.events import AnyEvent, EditProgram, SetParameter

_LEAVING_TICKS = 6
"""Ticks in which layers that an edit takes away fade out: 8 ms."""

Tap = Callable[[AnyEvent, int], None]
"""Is told each event as it takes effect, and the frame at which it does."""


class Engine:
    """Everything that sounds.

    The output is 48 kHz, float32, stereo, its true peaks below the instrument's ceiling. The same
    program and events give the same samples however the calls to :meth:`render` are cut, on one
    core or two, whatever the events are: gestures, moved controls, edits.

    Parameters
    ----------
    program : Program
    cores : {1, 2}
        How many threads render; may be set at any time.
    limited : bool
        Whether a limiter comes last. Without one the output is not bounded, and comes sooner.

    Attributes
    ----------
    now : int
        Frames rendered since the engine started, but for what a call left over of a tick.
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

    def __init__(self, program: Program, *, cores: int = 1, limited: bool = True) -> None:
        self.section = Section(program)
        self.now = 0
        self.cores = cores
        self.taps: list[Tap] = []
        self._limiter = Limiter() if limited else None
        self._leaving: list[tuple[Section, int]] = []
        self._pool: ThreadPoolExecutor | None = None
        self._left_over = np.zeros((0, 2), np.float32)
        self._pending: list[AnyEvent] = []

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

    def render(self, frames: int, events: Iterable[AnyEvent] = ()) -> NDArray[np.float32]:
        """The next stretch of sound.

        Parameters
        ----------
        frames : int
            How many frames, any number from 0.
        events : iterable of Event, SetParameter or EditProgram
            What happens, at absolute times in frames; an event takes effect at the next tick at
            or after its time, those of one time in the order in which they came. A control that
            is not there moves nothing.

        Returns
        -------
        ndarray of float32, shape (frames, 2)
        """
        self._pending.extend(events)
        self._pending.sort(key=lambda event: event.time)
        missing = frames - len(self._left_over)
        ticks = max(0, -(-missing // TICK))
        fresh = np.zeros((ticks * TICK, 2), np.float32)
        done = 0
        while done < ticks:
            self._apply_due()
            span = self._ticks_until_event(min(SPAN, ticks - done))
            self._run(fresh[done * TICK : (done + span) * TICK])
            done += span
        sound = np.concatenate((self._left_over, fresh)) if len(self._left_over) else fresh
        self._left_over = sound[frames:].copy()
        return sound[:frames]

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
                case _:
                    self.section.play(event)
            for tap in self.taps:
                tap(event, self.now)

    def _edit(self, program: Program) -> None:
        self.section, leaving = self.section.successor(program)
        if leaving is not None:
            self._leaving.append((leaving, _LEAVING_TICKS))

    def _ticks_until_event(self, most: int) -> int:
        if not self._pending:
            return most
        return min(most, -(-(self._pending[0].time - self.now) // TICK))

    def _run(self, out: NDArray[np.float32]) -> None:
        """A span of ticks, up to SPAN."""
        ticks, section = len(out) // TICK, self.section
        mixer = section.mixer
        mixer.begin(ticks, section.strips)
        moment = section.advance(ticks, self._threads())
        section.mix(moment, mixer)
        self._mix_leaving(ticks)
        mixer.end(out, moment)
        if self._limiter is not None:
            self._limiter.ceiling_db = self.ceiling_db
            self._limiter.process(out)
        self.now += len(out)

    def _threads(self) -> ThreadPoolExecutor | None:
        if self.cores < 2:
            return None
        if self._pool is None:
            self._pool = ThreadPoolExecutor(1, thread_name_prefix="voices")
        return self._pool

    def _mix_leaving(self, ticks: int) -> None:
        going = []
        for leaving, left in self._leaving:
            moment = leaving.advance(ticks, None)
            borders = np.clip((left - np.arange(ticks + 1)) / _LEAVING_TICKS, 0.0, 1.0)
            frames = np.arange(1, ticks * TICK + 1) / TICK
            ramp = np.interp(frames, np.arange(ticks + 1), borders)[:, None].astype(np.float32)
            leaving.mix(moment, self.section.mixer, ramp)
            if left > ticks:
                going.append((leaving, left - ticks))
        self._leaving = going

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
        if not exact:
            opening += self.section.voices.keys_down()
        else:
            self.section = Section(program)
            for event in opening:
                self.section.play(event)
            if self._limiter is not None:
                self._limiter = Limiter(self.ceiling_db)
        recording = Recording(self, program, exact, self.now, list(opening))
        self.taps.append(recording.note)
        return recording

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
