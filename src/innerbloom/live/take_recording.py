"""One take while it is recorded: events and sound, written by a thread that may wait for the disk."""

from __future__ import annotations

import errno
import logging
import queue
import threading
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.engine import BLOCK, ENGINE_RATE
from innerbloom.core.engine.history import Excerpt, History
from innerbloom.core.performance.lanes import move_of, range_of
from innerbloom.core.performance.take import EventWriter, Mark, TakeEvent
from innerbloom.core.performance.take_format import header_of
from innerbloom.live.answers import MovedLane
from innerbloom.store.take_folders import TakeFile

log = logging.getLogger(__name__)

_WRITE_EVERY = round(ENGINE_RATE / BLOCK)
_Piece = tuple[list[TakeEvent], list[NDArray[np.float32]]]


class _Writer:
    """Begins the files of a take and writes events, as lines, and sound, one piece after another."""

    def __init__(self, folder: Path, opening: Excerpt, about: dict[str, Any]) -> None:
        self._folder, self._opening, self._about = folder, opening, about
        self._file: TakeFile | None = None
        self._pieces: queue.SimpleQueue[_Piece | None] = queue.SimpleQueue()
        self.wrong: str | None = None
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._thread.start()

    def put(self, piece: _Piece) -> None:
        self._pieces.put(piece)

    def end(self) -> None:
        """Nothing more is to come."""
        self._pieces.put(None)

    @property
    def done(self) -> bool:
        """Whether all is on the disk."""
        return not self._thread.is_alive()

    def wait(self) -> int:
        """Until all is on the disk; gives the frames that there are."""
        self._thread.join()
        return 0 if self._file is None else self._file.frames

    @property
    def begun(self) -> bool:
        """Whether there is a take on the disk."""
        return self._file is not None

    def _run(self) -> None:
        self._try(self._begin)
        while (piece := self._pieces.get()) is not None:
            if self.wrong is None:
                self._try(self._write, piece)
        if self._file is not None:
            self._try(self._file.end)

    def _begin(self) -> None:
        take = self._opening.take()
        self._lines = EventWriter(take.document)
        self._file = TakeFile(self._folder, header_of(take, **self._about))
        self._write((list(take.events), []))

    def _write(self, piece: _Piece) -> None:
        assert self._file is not None
        events, blocks = piece
        lines = [self._lines.line(event) for event in events]
        self._file.append(lines, np.concatenate([np.zeros((0, 2), np.float32), *blocks]))

    def _try(self, write: Callable[..., None], *given: _Piece) -> None:
        try:
            write(*given)
        except Exception as error:
            log.exception("a take could not be written")
            full = isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT)
            why = "The disk is full" if full else "The disk refused"
            kept = "the take was stopped, and what there is of it is kept"
            self.wrong = f"{why}: {kept if self.begun else 'the take could not begin'}."


class TakeRecording:
    """A take that is being recorded, from this moment on.

    Parameters
    ----------
    take_id : str
    folder : Path
        Where it is written.
    history : History
        Of the engine that plays it.
    about : dict
        What else its header says.
    """

    def __init__(self, take_id: str, folder: Path, history: History, about: dict[str, Any]) -> None:
        self.id, self._history = take_id, history
        opening = history.excerpt(history.now, history.now)
        self._shift = opening.lead_in - history.now
        self._writer = _Writer(folder, opening, about)
        self._events: list[TakeEvent] = []
        self._blocks: list[NDArray[np.float32]] = []
        self._moved: dict[str, float] = {}
        self._ranges: dict[str, tuple[float, float]] = {}
        self.frames = self.marks = 0
        history.listeners.append(self._note)

    def _note(self, event: TakeEvent) -> None:
        self.marks += isinstance(event, Mark)
        self._events.append(replace(event, time=event.time + self._shift))
        moved = move_of(event)
        if moved is not None:
            lane, value = moved
            self._moved[lane] = value
            self._ranges[lane] = range_of(lane, (*self._ranges.get(lane, ()), value))

    def moved(self) -> list[MovedLane]:
        """What the hands moved beside notes since this was last asked, newest values."""
        moved, self._moved = self._moved, {}
        return [
            {"lane": lane, "value": round(value, 4), "low": low, "high": high}
            for lane, value in moved.items() for low, high in [self._ranges[lane]]
        ]  # fmt: skip

    def sound(self, block: NDArray[np.float32]) -> None:
        """The next frames, shape (n, 2)."""
        self._blocks.append(block.copy())
        self.frames += len(block)
        if len(self._blocks) >= _WRITE_EVERY:
            self._hand_over()

    def _hand_over(self) -> None:
        self._writer.put((self._events, self._blocks))
        self._events, self._blocks = [], []

    @property
    def wrong(self) -> str | None:
        """One sentence, once the disk has refused."""
        return self._writer.wrong

    def stop(self) -> None:
        """Record no more; what is left is written while the sound goes on."""
        self._history.listeners.remove(self._note)
        self._hand_over()
        self._writer.end()

    @property
    def begun(self) -> bool:
        """Whether there is a take on the disk, whole or not."""
        return self._writer.begun

    @property
    def done(self) -> bool:
        """Whether all of it is on the disk."""
        return self._writer.done

    def wait(self) -> int:
        """Until it is; gives the frames that were kept."""
        return self._writer.wait()
