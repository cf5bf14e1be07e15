"""Takes of a session: armed, counted in, recorded, and what was just played kept after all."""

from __future__ import annotations

import logging
import queue
import threading
import uuid
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.deliver.playable import AnyEngine
from innerbloom.core.engine import BLOCK, ENGINE_RATE
from innerbloom.core.engine.history import Excerpt, History
from innerbloom.core.performance.events import AnyEvent, gesture_of, with_gesture
from innerbloom.core.performance.take import Plain
from innerbloom.core.performance.take_format import header_of
from innerbloom.live import messages as m
from innerbloom.live.answers import Answer, Taken, TakeState, Taking, problem
from innerbloom.live.click import Click
from innerbloom.live.listening import Listening
from innerbloom.live.take_along import OTHER_NOTES, Alongs
from innerbloom.live.take_recording import TakeRecording
from innerbloom.live.timeline_playing import TimelinePlaying
from innerbloom.store.files import FileStore
from innerbloom.store.take_folders import MOST_S, TakeFolders

log = logging.getLogger(__name__)

_Heard = Listening | TimelinePlaying

_KEYBOARDS = 1 << 30
"""Notes of keyboards count from here, above those of a take that is played over."""

_RENEW_EVERY = 16
"""Blocks after which it is looked whether all is silent."""


class SessionTakes:
    """What a session records.

    Parameters
    ----------
    store : FileStore
    """

    def __init__(self, store: FileStore) -> None:
        self._folders = TakeFolders(store)
        self._engine: AnyEngine | None = None
        self._history: History | None = None
        self._asked: m.Record | None = None
        self._asked_early: m.Record | None = None
        self._recording: TakeRecording | None = None
        self._ending: list[TakeRecording] = []
        self._keeping: list[threading.Thread] = []
        self._kept: queue.SimpleQueue[Answer] = queue.SimpleQueue()
        self._at = 0
        self._click: Click | None = None
        self._alongs = Alongs(store)
        self._struck_early = False
        self._backing: _Heard | None = None
        self._leaving: _Heard | None = None
        self._over: list[AnyEvent] = []
        self._blocks = 0
        self._lowest = self._highest = 0.0

    @property
    def state(self) -> TakeState:
        """``waiting`` is for the first note."""
        if self._recording is not None:
            return "recording"
        if self._asked is None:
            return "idle" if self._asked_early is None else "counting"
        return "waiting" if self._asked.wait else "counting"

    def follow(self, engine: AnyEngine, document: Plain) -> None:
        """A session's engine begins."""
        self._engine, self._history = engine, History(engine, document)

    # -- what is asked ---------------------------------------------------------

    def ask(self, message: m.Record) -> Answer | None:
        """Begin, at once or from the first note, or stop."""
        if not message.on:
            self.stop()
            return None
        if self.state != "idle":
            return None
        if self._history is None:
            # the instrument is on its way: the take begins with it
            self._asked_early = message
            return None
        self._asked = message
        tempo = message.tempo or self._tempo()
        beats = 0 if message.wait else message.beats
        self._click = Click(tempo, beats, message.click) if beats or message.click else None
        self._at = -(-(-self._click.count_in_frames // BLOCK) * BLOCK) if self._click else 0
        self._struck_early = False
        self._alongs.open(message)
        if self._at == 0 and not message.wait and not self._alongs.opening:
            self._begin()
        return None

    def _take_up_opened(self) -> Answer | None:
        """What is played along to has been opened, or cannot be: then no take begins."""
        found = self._alongs.opened()
        if isinstance(found, str):
            self._asked = self._click = None
            return problem(found)
        if found is not None:
            self._backing, self._over = found
            if self._struck_early:
                self._begin()
        return None

    def _tempo(self) -> float:
        assert self._engine is not None
        return self._engine.tempo

    def struck(self) -> None:
        """A note begins: a take that waited for it begins with it."""
        if self.state != "waiting":
            return
        if self._alongs.opening:
            # what is played along to is on its way: the take begins with it
            self._struck_early = True
        else:
            self._begin()

    def mark(self) -> None:
        """That was good."""
        if self._history is not None:
            self._history.mark()

    def _begin(self) -> None:
        assert self._asked is not None
        assert self._history is not None
        take_id = uuid.uuid4().hex
        self._recording = TakeRecording(
            take_id, self._folders.folder(take_id), self._history, self._about(self._asked)
        )
        self._at = 0

    def _about(self, asked: m.Record | m.KeepPlayed) -> dict[str, Any]:
        backing = asked.backing if isinstance(asked, m.Record) else None
        tempo = asked.tempo if isinstance(asked, m.Record) else 0.0
        return {"instrument": asked.instrument, "name": asked.name, "backing": backing,
                "tempo": tempo or self._tempo()}  # fmt: skip

    def stop(self) -> None:
        """End the take; once it is on the disk, that is said."""
        recording, self._recording, self._asked = self._recording, None, None
        self._asked_early = None
        self._alongs.forget()
        if self._backing is not None:
            # it fades out in the next block
            self._backing.stop()
            self._leaving = self._backing
        self._click = self._backing = None
        if recording is not None:
            recording.stop()
            self._ending.append(recording)
            self._lift_others()

    def _lift_others(self) -> None:
        """Let go of the keys that the hands of another take hold."""
        self._over = []
        if self._engine is not None:
            down = ((one, gesture_of(one)) for one in self._engine.keys_down())
            others = [one for one, struck in down
                      if struck is not None and OTHER_NOTES <= struck.note < _KEYBOARDS]  # fmt: skip
            ended = (with_gesture(one, kind="off", value=0.0) for one in others)
            self._engine.render(0, [replace(one, time=self._engine.now) for one in ended])

    def close(self) -> None:
        """End the take and wait for the disk."""
        self.stop()
        for recording in self._ending:
            recording.wait()
        for keeping in self._keeping:
            keeping.join()

    def _ended(self) -> list[Answer]:
        """Takes that are on the disk by now."""
        done = [one for one in self._ending if one.done]
        self._ending = [one for one in self._ending if not one.done]
        self._keeping = [one for one in self._keeping if one.is_alive()]
        answers: list[Answer] = [_taken(one.id, one.wait()) for one in done if one.begun]
        answers += [problem(one.wrong) for one in done if one.wrong]
        while not self._kept.empty():
            answers.append(self._kept.get())
        return answers

    def keep_played(self, message: m.KeepPlayed) -> Answer | None:
        """Make a take of the last minutes; its sound is made again from the hands.

        Said once it is on the disk: going through five minutes would hold up the sound.
        """
        excerpt = None if self._history is None else self._history.last_excerpt()
        if excerpt is None or excerpt.end <= excerpt.start:
            return problem("Nothing has been played in the last five minutes.")
        given = (excerpt, self._about(message))
        keeping = threading.Thread(target=self._keep, args=given, daemon=True)
        self._keeping.append(keeping)
        keeping.start()
        return None

    def _keep(self, excerpt: Excerpt, about: dict[str, Any]) -> None:
        try:
            take = excerpt.take()
            take_id = self._folders.write(header_of(take, origin="kept", **about), take)
            self._kept.put(_taken(take_id, take.frames))
        except Exception as error:
            log.exception("what was played could not be kept")
            why = getattr(error, "strerror", None) or "something unforeseen went wrong"
            self._kept.put(problem(f"It could not be kept: {why}. Try again."))

    # -- sound -----------------------------------------------------------------

    def pass_on(self, sound: NDArray[np.float32]) -> NDArray[np.float32] | None:
        """Take in a block of the engine's sound; gives what is heard beside it."""
        self._blocks += 1
        if self._history is not None and self._blocks % _RENEW_EVERY == 0:
            self._history.renew()
        if self._leaving is not None:
            last, _ = self._leaving.read(len(sound))
            self._leaving = None
            return last
        if self.state in ("idle", "waiting"):
            return None
        beside = self._beside(len(sound))
        if self._recording is not None:
            self._recording.sound(sound)
            self._lowest = min(self._lowest, float(sound.min()))
            self._highest = max(self._highest, float(sound.max()))
        return beside

    def _beside(self, frames: int) -> NDArray[np.float32] | None:
        out = None if self._click is None else self._click.read(self._at, frames)
        if self._backing is not None and self._recording is not None:
            sound, more = self._backing.read(frames)
            out = sound if out is None else out + sound
            if not more:
                self._backing = None
        self._at += frames
        return out

    def due(self) -> list[Answer]:
        """Before a block: a take that was counted in begins; one that cannot go on ends."""
        answers: list[Answer | None] = [*self._ended()]
        early = self._asked_early
        if early is not None and self._history is not None:
            self._asked_early = None
            answers.append(self.ask(early))
        answers.append(self._take_up_opened())
        recording = self._recording
        ready = self._at >= 0 and not self._alongs.opening
        if self._asked is not None and self.state == "counting" and ready:
            self._begin()
        elif recording is not None and recording.wrong is not None:
            # it is said once what there is of it is on the disk
            self.stop()
        elif recording is not None and recording.frames >= MOST_S * ENGINE_RATE:
            long = f"A take lasts {MOST_S / 3_600:.0f} hours at most: this one was ended."
            answers.append(problem(long))
            self.stop()
        self._play_over()
        return [one for one in answers if one is not None]

    def _play_over(self) -> None:
        """Do what the hands of the other take do in the next block."""
        if not self._over or self._recording is None or self._engine is None:
            return
        at, now = self._recording.frames, self._engine.now
        due = [one for one in self._over if one.time < at + BLOCK]
        self._over = self._over[len(due) :]
        self._engine.render(0, [replace(one, time=one.time - at + now) for one in due])

    # -- looking in ------------------------------------------------------------

    def look(self) -> Taking:
        """What the page shows of it now; the extremes are those since the last look."""
        recording = self._recording
        answer: Taking = {
            "state": self.state,
            "take": None if recording is None else recording.id,
            "seconds": 0.0 if recording is None else round(recording.frames / ENGINE_RATE, 3),
            "marks": 0 if recording is None else recording.marks,
            "beats": self._click.beats_left(self._at) if self.state == "counting" and self._click else 0,
            "moved": [] if recording is None else recording.moved(),
            "extremes": (round(self._lowest, 4), round(self._highest, 4)),
            "played": 0.0 if self._history is None else round(self._history.played_s(), 1),
        }  # fmt: skip
        self._lowest = self._highest = 0.0
        return answer


def _taken(take_id: str, frames: int) -> Taken:
    return {"is": "taken", "take": take_id, "seconds": round(frames / ENGINE_RATE, 3)}
