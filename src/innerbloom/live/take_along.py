"""What goes on beside a take: a sound or a timeline that is played along to, the hands of another take."""

from __future__ import annotations

import logging
import queue
from functools import partial
from pathlib import Path
from typing import NamedTuple, cast

from innerbloom.core.errors import BloomError
from innerbloom.core.performance.events import AnyEvent, gesture_of, with_gesture
from innerbloom.core.performance.hands import edited, without
from innerbloom.core.performance.lanes import NOTES, lane_of
from innerbloom.core.performance.take import EditDocument, Mark
from innerbloom.core.performance.take_format import Backing
from innerbloom.live import messages as m
from innerbloom.live.listening import Listening
from innerbloom.live.newest import Newest
from innerbloom.live.timeline_playing import OpenTimeline, TimelinePlaying
from innerbloom.store.files import FileStore
from innerbloom.store.take_folders import TakeFolders

log = logging.getLogger(__name__)

OTHER_NOTES = 1 << 28
"""Notes of a take that is played over count from here."""


class Along(NamedTuple):
    """What is heard beside a take, not recorded, and what the hands of another take do meanwhile."""

    backing: Listening | TimelinePlaying | None
    over: list[AnyEvent]


class Alongs:
    """Opens what goes on beside takes, in a thread of its own: a disk may take its time.

    Parameters
    ----------
    store : FileStore
    """

    def __init__(self, store: FileStore) -> None:
        self._store, self._folders = store, TakeFolders(store)
        self._opener = Newest()
        self._opened: queue.SimpleQueue[tuple[int, Along | str]] = queue.SimpleQueue()
        self._asked = 0
        self.opening = False

    def open(self, message: m.Record) -> None:
        """Begin; what was asked for before is not wanted any more."""
        self.forget()
        if message.backing is None and message.timeline is None and message.over is None:
            return
        self.opening = True
        self._opener.do(partial(self._open, message, self._asked))

    def forget(self) -> None:
        """What is on its way is not wanted any more."""
        self._asked += 1
        self.opening = False

    def opened(self) -> Along | str | None:
        """What has been opened, once, or one sentence that says why not."""
        while not self._opened.empty():
            number, found = self._opened.get()
            if number == self._asked:
                self.opening = False
                return found
        return None

    def _open(self, message: m.Record, number: int) -> None:
        try:
            found: Along | str = Along(self._backing_of(message), self._played_over(message))
        except BloomError as error:
            found = str(error)
        except OSError:
            found = "What is played along to cannot be read any more: choose another."
        except Exception:
            log.exception("what is played along to could not be opened")
            found = "Something unforeseen went wrong with what is played along to: see the log."
        self._opened.put((number, found))

    def _backing_of(self, message: m.Record) -> Listening | TimelinePlaying | None:
        if message.timeline is not None:
            asked = message.timeline
            heard = OpenTimeline(asked.document, self._store, asked.gain)
            return TimelinePlaying(heard, asked.at)
        along = message.backing
        if along is None:
            return None
        return Listening(self._sound_of(along), along.at, None, along.gain)

    def _sound_of(self, along: Backing) -> Path:
        if along.take is None:
            assert along.recording is not None
            return self._store.readable(along.recording)
        try:
            return self._folders.sound_of(along.take)
        except BloomError as error:
            gone = f"'{along.name or 'The take'}', which is played along to, has no sound any more: choose another."
            raise BloomError(gone) from error

    def _played_over(self, message: m.Record) -> list[AnyEvent]:
        """What the hands of another take do meanwhile."""
        over = message.over
        if over is None:
            return []
        take = edited(self._folders.read(over.take).take, over.edits)
        found = without(take, over.lanes, over.at)
        return [_own(one) for one in found if not isinstance(one, EditDocument | Mark)]


def _own(event: AnyEvent) -> AnyEvent:
    """An event of another take, its notes numbered apart from those that are played now."""
    gesture = gesture_of(event)
    if gesture is None or lane_of(event) != NOTES:  # type: ignore[arg-type]
        return event
    return cast(AnyEvent, with_gesture(event, note=gesture.note + OTHER_NOTES))
