"""One live session: an engine, what is listened to, and the sound of both."""

from __future__ import annotations

import logging
import os
import queue
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import soundfile as sf
from numpy.typing import NDArray

from innerbloom.core.declare.parameters import refusal
from innerbloom.core.engine import (
    BLOCK,
    ENGINE_RATE,
    Engine,
    Limiter,
    Program,
    compile_program,
)
from innerbloom.core.engine.telemetry import Watch, arrivals
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.instrument.owners import WHOLE_ID
from innerbloom.core.materials.protocol import Materials
from innerbloom.core.performance.events import EditProgram, Event, SetParameter
from innerbloom.core.performance.midi import MidiReader
from innerbloom.live import messages as m
from innerbloom.live.answers import Answer, Look, Moving, Seen, problem
from innerbloom.live.listening import Listening
from innerbloom.live.preview import LoopPreview, preview_cycles, preview_loop, reference_tone
from innerbloom.store.sounding import Sounding

log = logging.getLogger(__name__)

FIRST_MIDI_NOTE = 1 << 30
"""Notes from a keyboard count from here, those a page names itself from 1."""

_BUSY, _CALM = 0.6, 0.25
"""Load above which a second core helps, and below which it goes again."""

_BLOCK_S = BLOCK / ENGINE_RATE
Heard = Listening | LoopPreview


class LiveSession:
    """State of one connected page.

    Parameters
    ----------
    materials : Materials
    path_of : callable
        Gives a readable file of a recording by its hash; raises a BloomError if there is none.
    sounding : Sounding
        Told while something is heard, and when a block was late.
    """

    def __init__(
        self, materials: Materials, path_of: Callable[[str], Path], sounding: Sounding
    ) -> None:
        self._materials, self._path_of, self._sounding = materials, path_of, sounding
        self._engine: Engine | None = None
        self._listening: list[Heard] = []
        self._opened: queue.SimpleQueue[tuple[int, list[Heard] | str]] = queue.SimpleQueue()
        self._newest_listen = 0
        self._heard = 0
        self._shown: Heard | None = None
        self._held: dict[int, m.On] = {}
        self._midi = MidiReader(2.0, first_note=FIRST_MIDI_NOTE)
        self._moved: int | None = None
        self._hold = 0.0
        self._loaded: queue.SimpleQueue[Program | str] = queue.SimpleQueue()
        self._newest = 0
        self._load = 0.0
        self._peaks = np.zeros(2)
        self._limiter = Limiter()
        self._watch: Watch | None = None
        self.credit = 0

    # -- what the page says ----------------------------------------------------

    def take(self, message: m.Message) -> Answer | None:
        """Apply one message; some have an answer."""
        match message:
            case m.Credit():
                self.credit = min(64, self.credit + message.blocks)
            case m.Load():
                self._begin_load(message.document)
            case m.Midi():
                self._midi_in(bytes(message.data))
            case m.Set():
                return self._set(message)
            case m.Listen():
                return self._listen(message)
            case m.Watch():
                self._watch = Watch() if message.on else None
            case m.Late():
                self._sounding.was_late()
            case m.Panic(do="hush"):
                self._newest_listen += 1
                self._hush()
            case _:
                self._play(message)
        return None

    def _midi_in(self, data: bytes) -> None:
        if self._engine is None:
            return
        self._midi.bend_range = self._engine.section.setting(WHOLE_ID, "bend_range")
        events = self._midi.take_bytes(data, self._engine.now)
        for event in events:
            if event.kind == "control":
                self._moved = event.note
        self._engine.render(0, events)

    def _play(self, message: m.Gesture) -> None:
        note = getattr(message, "note", 0)
        if isinstance(message, m.On):
            self._held[note] = message
        elif isinstance(message, m.Off):
            self._held.pop(note, None)
        elif isinstance(message, m.Hold) and message.do == "hold":
            self._hold = message.value
        elif isinstance(message, m.Panic):
            self._held.clear()
            self._hold = 0.0
            self._hush()
        if self._engine is not None:
            value, key = getattr(message, "value", 0.0), getattr(message, "key", 60.0)
            event = Event(message.do, note, key, value, self._engine.now)  # type: ignore[arg-type]
            self._engine.render(0, [event])

    def _set(self, message: m.Set) -> Answer | None:
        """Move a control of any owner."""
        engine = self._engine
        if engine is None:
            return None
        owner = engine.section.layout.owners.get(message.owner)
        if owner is None:
            return problem("What this control belongs to is no longer there.")
        found = owner.parameter(message.parameter)
        if found is None:
            return problem(f"There is no setting '{message.parameter}' here.")
        wrong = refusal(found, message.value)
        if wrong:
            return problem(wrong)
        moved = SetParameter(message.owner, message.parameter, message.value, engine.now)
        engine.render(0, [moved])
        return None

    def _listen(self, message: m.Listen) -> Answer | None:
        """Open what is to be heard; beside the sound where a loop takes a moment to lay out."""
        self._newest_listen = message.id
        if message.loop is None and message.cycle is None:
            self._open(message)
            return self._take_opened()
        threading.Thread(target=self._open, args=(message,), daemon=True).start()
        return None

    def _open(self, message: m.Listen) -> None:
        try:
            heard = list(self._heard_by(message))
        except BloomError as error:
            self._opened.put((message.id, str(error)))
        except (sf.LibsndfileError, OSError):
            text = "This recording cannot be read any more: its file may be damaged."
            self._opened.put((message.id, text))
        else:
            self._opened.put((message.id, heard))

    def _heard_by(self, message: m.Listen) -> Iterator[Heard]:
        gain = 10.0 ** (message.gain / 20.0)
        if message.recording is not None:
            path = self._path_of(message.recording)
            if message.loop is not None:
                one = message.loop
                yield preview_loop(path, one.start, one.end, one.crossfade, one.curve,
                                   one.direction, gain)  # fmt: skip
            elif message.cycle is not None:
                few = message.cycle
                yield preview_cycles(path, few.place, few.hz, few.cycles, gain)
            else:
                yield Listening(path, message.at, message.until, message.gain)
        if message.tone is not None:
            yield reference_tone(message.tone)

    def _take_opened(self) -> Answer | None:
        """Start what has been opened, in place of what was heard."""
        try:
            number, found = self._opened.get_nowait()
        except queue.Empty:
            return None
        if number < self._newest_listen:
            return None
        self._hush()
        self._heard = number
        if isinstance(found, str):
            return problem(found)
        self._listening.extend(found)
        self._shown = found[0] if found else None
        return None

    def _hush(self) -> None:
        for listening in self._listening:
            listening.stop()

    # -- loading ---------------------------------------------------------------

    def _begin_load(self, document: dict[str, Any]) -> None:
        self._newest += 1
        threading.Thread(target=self._compile, args=(document, self._newest), daemon=True).start()

    def _compile(self, document: dict[str, Any], number: int) -> None:
        """Runs beside the sound: preparing a recording may take a second."""
        try:
            program = compile_program(parse_instrument(document), self._materials)
        except BloomError as error:
            self._loaded.put(str(error))
            return
        except Exception:
            log.exception("an instrument could not be loaded")
            self._loaded.put("Something unforeseen went wrong with this instrument: see the log.")
            return
        if number == self._newest:
            self._loaded.put(program)

    def loaded(self) -> Answer | None:
        """Take over what has become ready, a document or a sound; says so or what went wrong."""
        try:
            ready = self._loaded.get_nowait()
        except queue.Empty:
            return self._take_opened()
        if isinstance(ready, str):
            return problem(ready)
        if self._engine is not None:
            self._engine.render(0, [EditProgram(ready, self._engine.now)])
        else:
            self._begin(ready)
        if self._watch is not None:
            self._watch = Watch()
        return {"is": "loaded"}

    def _begin(self, program: Program) -> None:
        """The first instrument of the session takes up the keys that are already down."""
        # the limiter comes after everything that is heard, what is listened to included
        self._engine = Engine(program, limited=False)
        again = [Event("hold", value=self._hold)]
        again += [Event("on", on.note, on.key, on.value) for on in self._held.values()]
        self._engine.render(0, again)

    # -- sound -----------------------------------------------------------------

    def block(self) -> bytes:
        """The next block: 256 frames of interleaved stereo float32, little endian."""
        start = time.perf_counter()
        self.credit -= 1
        out = np.zeros((BLOCK, 2), np.float32)
        if self._engine is not None:
            out += self._engine.render(BLOCK)
        self._add_listening(out)
        if self._engine is not None:
            self._limiter.ceiling_db = self._engine.ceiling_db
        self._limiter.process(out)
        self._peaks = np.maximum(self._peaks, np.abs(out).max(axis=0))
        share = (time.perf_counter() - start) / _BLOCK_S
        self._load += 0.05 * (share - self._load)
        self._share_out()
        return out.astype("<f4", copy=False).tobytes()

    def _share_out(self) -> None:
        """Take a second core while one is not enough; the samples are the same."""
        if self._engine is None or (os.cpu_count() or 1) < 2:
            return
        if self._load > _BUSY:
            self._engine.cores = 2
        elif self._load < _CALM:
            self._engine.cores = 1

    def _add_listening(self, out: NDArray[np.float32]) -> None:
        going = []
        for listening in self._listening:
            samples, more = listening.read(BLOCK)
            out += samples
            if more:
                going.append(listening)
        self._listening = going

    def _place(self) -> float | None:
        """Where what is listened to is now, in seconds; None once it has ended."""
        shown = self._shown
        return round(shown.place_s, 3) if shown in self._listening and shown else None

    def look(self) -> Look:
        """What the pictures and meters show now; peaks are those since the last look."""
        engine = self._engine
        if self._peaks.max() > 0.0:
            self._sounding.plays()
        answer: Look = {
            "is": "look",
            "load": round(self._load, 4),
            "peaks": (round(float(self._peaks[0]), 5), round(float(self._peaks[1]), 5)),
            "voices": engine.sounding() if engine else 0,
            "held_db": round(self._limiter.reduction_db(), 2),
            "listening": self._place(),
            "heard": self._heard,
            "layers": engine.look() if engine else [],
            "notes": engine.notes() if engine else [],
            "moved": self._moved,
            "moving": self._moving(),
        }
        self._peaks[:] = 0.0
        self._moved = None
        return answer

    def _moving(self) -> Moving | None:
        """What arrives now, if the page watches, and what has been seen since it began to."""
        if self._engine is None or self._watch is None:
            return None
        now = arrivals(self._engine)
        across, up = self._engine.section.modulation.pad_now()
        self._watch.look(self._engine, now)
        return {
            "routes": now.routes.round(4).tolist(),
            "modulators": now.modulators.round(4).tolist(),
            "targets": np.stack((now.added, now.values, now.clamped), axis=1).round(4).tolist(),
            "keys": [f"{owner}.{parameter}" for owner, parameter in now.keys],
            "pad": (round(across, 4), round(up, 4)),
        }

    def seen(self) -> Seen | None:
        """What has been seen to move, for the doctor; now and then."""
        if self._watch is None:
            return None
        looks = max(1, self._watch.looks)
        return {
            "is": "seen",
            "looks": self._watch.looks,
            "ranges": {
                id_: (low, self._watch.highest[id_]) for id_, low in self._watch.lowest.items()
            },
            "clamped": {
                f"{owner}.{parameter}": round(count / looks, 4)
                for (owner, parameter), count in self._watch.held.items()
            },
        }
