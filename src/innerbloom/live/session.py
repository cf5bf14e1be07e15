"""One live session: an engine, what is listened to, and the sound of both."""

from __future__ import annotations

import logging
import queue
import time
from functools import partial
from typing import Any

import numpy as np

from innerbloom.core.deliver.playable import (
    AnyEngine,
    AnyProgram,
    compile_playable,
    engine_for,
    parse_playable,
)
from innerbloom.core.engine import BLOCK, ENGINE_RATE, Engine, Limiter
from innerbloom.core.engine.ensemble import EnsembleEngine
from innerbloom.core.engine.looking import look_at_map, look_at_players
from innerbloom.core.engine.telemetry import Watch, arrivals
from innerbloom.core.errors import BloomError
from innerbloom.core.materials.protocol import Materials
from innerbloom.core.performance.events import EditProgram, Event, SetParameter
from innerbloom.core.performance.midi import MidiReader
from innerbloom.core.performance.take import Plain
from innerbloom.live import messages as m
from innerbloom.live.answers import Answer, Look, Moving, Seen, problem
from innerbloom.live.engines import bend_range, plays, program_change, refused
from innerbloom.live.heard import SessionListening
from innerbloom.live.mixing import SessionMixing
from innerbloom.live.newest import Newest
from innerbloom.live.outgoing import Outgoing
from innerbloom.live.playing import SessionPhrase
from innerbloom.live.recalling import SessionRecalls
from innerbloom.live.second_core import SecondCore
from innerbloom.live.taking import SessionTakes
from innerbloom.store.files import FileStore

log = logging.getLogger(__name__)

FIRST_MIDI_NOTE = 1 << 30
"""Notes from a keyboard count from here, those a page names itself from 1."""

_BLOCK_S = BLOCK / ENGINE_RATE


class LiveSession:
    """State of one connected page.

    Parameters
    ----------
    materials : Materials
    store : FileStore
        Where recordings, takes, variations and films lie.
    """

    def __init__(self, materials: Materials, store: FileStore) -> None:
        self._materials, self._sounding = materials, store.sounding
        self._takes = SessionTakes(store)
        self._engine: AnyEngine | None = None
        self._listening = SessionListening(store)
        self._held: dict[int, m.On] = {}
        self._midi = MidiReader(2.0, first_note=FIRST_MIDI_NOTE)
        self._moved: int | None = None
        self._hold = 0.0
        self._loaded: queue.SimpleQueue[tuple[AnyProgram, Plain] | str] = queue.SimpleQueue()
        self._newest = 0
        self._loading = Newest()
        self._program: AnyProgram | None = None
        self._load = 0.0
        self._second_core = SecondCore()
        self._peaks = np.zeros(2)
        self._limiter = Limiter()
        self._watch: Watch | None = None
        self._mixing = SessionMixing()
        self._alone: str | None = None
        self._recalls = SessionRecalls()
        self._phrase = SessionPhrase()
        self._outgoing: Outgoing | None = None
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
            case m.Recall() | m.ChangePhrase():
                return self._state_asked(message)
            case m.Listen() | m.ChangeTimeline():
                self._listening.ask(message)
            case m.Watch():
                self._watch_for(message)
            case m.Difference():
                return self._hear_difference(message.effect)
            case m.Record() | m.KeepPlayed() | m.Mark():
                return self._take_asked(message)
            case m.Late():
                self._sounding.was_late()
            case m.Panic(do="hush"):
                self._listening.forget()
            case _:
                self._play(message)
        return None

    def _watch_for(self, message: m.Watch) -> None:
        self._watch = Watch() if message.on else None
        self._mixing.watch(message)

    def _state_asked(self, message: m.Recall | m.ChangePhrase) -> Answer | None:
        if isinstance(message, m.Recall):
            return self._recalls.ask(message, self._engine)
        return self._phrase.configure(message.settings, self._engine)

    def _take_asked(self, message: m.Record | m.KeepPlayed | m.Mark) -> Answer | None:
        match message:
            case m.KeepPlayed():
                return self._takes.keep_played(message)
            case m.Mark():
                self._takes.mark()
                return None
        if message.on:
            self._hear_difference(None)
        return self._takes.ask(message)

    def _midi_in(self, data: bytes) -> None:
        engine = self._engine
        if engine is not None:
            asked = program_change(data, engine)
            if asked is not None:
                self._recalls.ask(asked, engine)
            self._midi.bend_range = bend_range(engine)
        events = self._midi.take_bytes(data, 0 if engine is None else engine.now)
        for event in events:
            if event.kind == "control":
                # learnt from while the instrument is still on its way, too
                self._moved = event.note
            elif event.kind == "on":
                self._takes.struck()
        if engine is not None:
            self._phrase.play(events, engine)

    def _play(self, message: m.Gesture) -> None:
        note = getattr(message, "note", 0)
        if isinstance(message, m.On):
            self._takes.struck()
            self._held[note] = message
        elif isinstance(message, m.Off):
            self._held.pop(note, None)
        elif isinstance(message, m.Hold) and message.do == "hold":
            self._hold = message.value
        elif isinstance(message, m.Panic):
            self._held.clear()
            self._hold = 0.0
            self._listening.hush()
        if self._engine is not None:
            value, key = getattr(message, "value", 0.0), getattr(message, "key", 60.0)
            event = Event(message.do, note, key, value, self._engine.now)  # type: ignore[arg-type]
            self._phrase.play([event], self._engine)

    def _set(self, message: m.Set) -> Answer | None:
        """Move a control of any owner."""
        engine = self._engine
        if engine is None:
            return None
        wrong = refused(engine, message)
        if wrong is not None:
            return problem(wrong)
        moved = SetParameter(message.owner, message.parameter, message.value, engine.now)
        engine.render(0, [moved])
        return None

    def _hear_difference(self, effect: str | None) -> Answer | None:
        if effect is not None and self._takes.state != "idle":
            return problem("All is heard while a take is recorded: stop it first.")
        self._alone = effect
        if isinstance(self._engine, Engine):
            self._engine.section.hear_difference(effect)
        return None

    # -- loading ---------------------------------------------------------------

    def _begin_load(self, document: dict[str, Any]) -> None:
        self._newest += 1
        self._loading.do(partial(self._compile, document, self._newest))

    def _compile(self, document: dict[str, Any], number: int) -> None:
        """Runs beside the sound: preparing a recording may take a second."""
        try:
            parsed = parse_playable(document)
            program = compile_playable(parsed, self._materials, self._program)
        except BloomError as error:
            self._loaded.put(str(error))
            return
        except Exception:
            log.exception("an instrument could not be loaded")
            self._loaded.put("Something unforeseen went wrong with this instrument: see the log.")
            return
        if number == self._newest:
            self._program = program
            self._loaded.put((program, parsed.model_dump(mode="json")))

    def loaded(self) -> Answer | None:
        """Take over what has become ready, a document or a sound; says so or what went wrong."""
        try:
            ready = self._loaded.get_nowait()
        except queue.Empty:
            return self._listening.begin_opened()
        if isinstance(ready, str):
            return problem(ready)
        program, plain = ready
        if self._engine is not None and plays(self._engine, program):
            self._engine.render(0, [EditProgram(program, self._engine.now, plain)])
        else:
            self._begin(program, plain)
        if self._watch is not None:
            self._watch = Watch()
        return {"is": "loaded"}

    def _begin(self, program: AnyProgram, plain: Plain) -> None:
        """What is first played, or first after something of another kind, takes up the keys that
        are down already."""
        if self._engine is not None:
            self._takes.stop()
            self._outgoing = Outgoing(self._engine)
        # the limiter comes after everything that is heard, what is listened to included
        self._engine = engine_for(program, limited=False)
        self._takes.follow(self._engine, plain)
        self._recalls = SessionRecalls()
        self._phrase.begin_anew()
        if self._alone is not None and isinstance(self._engine, Engine):
            self._engine.section.hear_difference(self._alone)
        again = [Event("hold", value=self._hold)] if self._hold else []
        again += [Event("on", on.note, on.key, on.value) for on in self._held.values()]
        self._phrase.play(again, self._engine)

    # -- sound -----------------------------------------------------------------

    def due(self) -> list[Answer]:
        """What is to be said before the next block."""
        loaded = self.loaded()
        return [
            *([] if loaded is None else [loaded]),
            *self._recalls.done(self._engine),
            *self._takes.due(),
        ]

    def close(self) -> None:
        """The page has gone: a take comes to its end."""
        self._takes.close()

    def block(self) -> bytes:
        """The next block: 256 frames of interleaved stereo float32, little endian."""
        start = time.perf_counter()
        self.credit -= 1
        out = np.zeros((BLOCK, 2), np.float32)
        if self._engine is not None:
            self._phrase.walk(self._engine, BLOCK)
            if isinstance(self._engine, Engine):
                self._mixing.begin_block(self._engine)
            sound = self._engine.render(BLOCK)
            beside = self._takes.pass_on(sound)
            out += sound if beside is None else sound + beside
        if self._outgoing is not None and not self._outgoing.add_to(out):
            self._outgoing = None
        self._listening.add_to(out)
        if self._engine is not None:
            self._limiter.ceiling_db = self._engine.ceiling_db
        self._limiter.process(out)
        self._peaks = np.maximum(self._peaks, np.abs(out).max(axis=0))
        self._mixing.end_block(out)
        share = (time.perf_counter() - start) / _BLOCK_S
        self._load += 0.05 * (share - self._load)
        if self._engine is not None:
            self._engine.cores = self._second_core.threads(self._load)
        return out.astype("<f4", copy=False).tobytes()

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
            "listening": self._listening.place_s(),
            "heard": self._listening.heard,
            "layers": engine.look() if isinstance(engine, Engine) else [],
            "notes": engine.notes() if engine else [],
            "moved": self._moved,
            "moving": self._moving(),
            "mix": self._mixing.look(engine, self._alone) if isinstance(engine, Engine) else None,
            "map": look_at_map(engine.section) if isinstance(engine, Engine) else None,
            "players": look_at_players(engine) if isinstance(engine, EnsembleEngine) else {},
            "due": self._recalls.waiting,
            "taking": self._takes.look(),
        }
        self._peaks[:] = 0.0
        self._moved = None
        return answer

    def _moving(self) -> Moving | None:
        """What arrives now, if the page watches, and what has been seen since it began to."""
        if not isinstance(self._engine, Engine) or self._watch is None:
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
