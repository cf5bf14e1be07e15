"""What a session listens to beside its instrument: sounds as they are, loops, cycles, tones."""

from __future__ import annotations

import queue
from collections.abc import Iterator
from contextlib import suppress
from functools import partial
from pathlib import Path

import numpy as np
import soundfile as sf
from numpy.typing import NDArray

from innerbloom.core.errors import BloomError
from innerbloom.live import messages as m
from innerbloom.live.answers import Answer, problem
from innerbloom.live.listening import Listening
from innerbloom.live.newest import Newest
from innerbloom.live.preview import LoopPreview, preview_cycles, preview_loop, reference_tone
from innerbloom.live.timeline_playing import OpenTimeline, TimelinePlaying
from innerbloom.store.files import FileStore
from innerbloom.store.sample_folders import SampleFolders
from innerbloom.store.swap_folders import SwapFolders
from innerbloom.store.take_folders import TakeFolders
from innerbloom.store.variation_folders import VariationFolders

Heard = Listening | LoopPreview | TimelinePlaying


class SessionListening:
    """What is listened to now; something new takes the place of it.

    Parameters
    ----------
    store : FileStore

    Attributes
    ----------
    heard : int
        Number of the request that is heard.
    """

    def __init__(self, store: FileStore) -> None:
        self._store, self._path_of = store, store.readable
        self._folders, self._variations = TakeFolders(store), VariationFolders(store)
        self._samples, self._swaps = SampleFolders(store), SwapFolders(store)
        self._sounding: list[Heard] = []
        self._opened: queue.SimpleQueue[tuple[int, list[Heard] | str]] = queue.SimpleQueue()
        self._newest = 0
        self._opening, self._changing = Newest(), Newest()
        self._shown: Heard | None = None
        self.heard = 0

    def ask(self, message: m.Listen | m.ChangeTimeline) -> None:
        """Open what is to be heard beside the sound: a disk may take its time."""
        if isinstance(message, m.ChangeTimeline):
            self._change_timeline(message)
            return
        self._newest = message.id
        self._opening.do(partial(self._open, message))

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
        if message.take is not None:
            yield Listening(self._folders.sound_of(message.take), message.at, message.until,
                            message.gain)  # fmt: skip
        elif message.variation is not None or message.swap is not None:
            path = self._path_of_made(message)
            yield Listening(path, message.at, message.until, message.gain)
        elif message.timeline is not None:
            heard = OpenTimeline(message.timeline, self._store, message.gain)
            yield TimelinePlaying(heard, message.at, message.until)
        elif message.recording is not None or message.sample is not None:
            path = self._path_of_sound(message)
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

    def _path_of_sound(self, message: m.Listen) -> Path:
        if message.sample is not None:
            return self._path_of_made(message)
        assert message.recording is not None
        return self._path_of(message.recording)

    def _path_of_made(self, message: m.Listen) -> Path:
        """One of what a job made, by its folder and number."""
        address = message.sample or message.variation or message.swap or ""
        made, _, number = address.partition("/")
        if message.sample is not None:
            return self._samples.sound(made, int(number))
        if message.variation is not None:
            return self._variations.sound(made, int(number))
        return self._swaps.sound(made, int(number))

    def _change_timeline(self, message: m.ChangeTimeline) -> None:
        """Go on with a changed timeline, if one is heard; it is opened beside the sound."""
        playing = self._shown
        if not isinstance(playing, TimelinePlaying) or playing not in self._sounding:
            return

        def change() -> None:
            # the page has it from the server, which has refused what cannot be read
            with suppress(BloomError):
                playing.change(OpenTimeline(message.document, self._store, message.gain))

        self._changing.do(change)

    def begin_opened(self) -> Answer | None:
        """Start what has been opened, in place of what was heard."""
        try:
            number, found = self._opened.get_nowait()
        except queue.Empty:
            return None
        if number < self._newest:
            return None
        self.hush()
        self.heard = number
        if isinstance(found, str):
            return problem(found)
        self._sounding.extend(found)
        self._shown = found[0] if found else None
        return None

    def hush(self) -> None:
        """Let what is heard come to rest."""
        for one in self._sounding:
            one.stop()

    def forget(self) -> None:
        """The same, and what is on its way is not wanted any more."""
        self._newest += 1
        self.hush()

    def add_to(self, out: NDArray[np.float32]) -> None:
        """Add the next frames to a block of shape (frames, 2)."""
        going = []
        for one in self._sounding:
            samples, more = one.read(len(out))
            out += samples
            if more:
                going.append(one)
        self._sounding = going

    def place_s(self) -> float | None:
        """Where what is listened to is now, in seconds; None once it has ended."""
        shown = self._shown
        return round(shown.place_s, 3) if shown in self._sounding and shown else None
