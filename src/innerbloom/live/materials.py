"""Prepared sounds shared by all sessions, the least used given up first.

Preparing takes a second and would hold up the sound, so a process of its own does it.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import BrokenExecutor
from pathlib import Path
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.deliver.sources import FileMaterials
from innerbloom.core.engine import Material
from innerbloom.core.engine.wavetable import Wavetable
from innerbloom.core.errors import SoundFileError
from innerbloom.core.instrument.sound import Sound
from innerbloom.processes import background_executor
from innerbloom.store.files import FileStore
from innerbloom.store.prepared import course_of, find_prepared, load_prepared, prepare, table_of

T = TypeVar("T")

MOST_BYTES, MOST_TABLE_BYTES = 3 << 30, 1 << 30

Key = tuple[str | None, float, float | None]


class MaterialCache:
    """Materials by recording and stretch."""

    def __init__(self, store: FileStore) -> None:
        self._store = store
        self._kept: OrderedDict[Key, Material] = OrderedDict()
        self._lock = threading.Lock()
        self._made = FileMaterials(store.locate)
        self._tables: OrderedDict[tuple[object, ...], Wavetable] = OrderedDict()
        self._courses: dict[Key, NDArray[np.float64]] = {}
        self._worker = background_executor()
        # started now, so that the first sound does not wait for it
        self._worker.submit(prepare, store.root, Sound()).add_done_callback(lambda _: None)

    def noise(self, colour: str, sound: Sound | None) -> Material:
        """Noise of a colour; may raise a BloomError."""
        return self._made.noise(colour, sound)

    def wavetable(self, shape: str, sound: Sound | None) -> Wavetable:
        """A plain wave or the frames of a sound; may raise a BloomError."""
        if sound is None:
            return self._made.wavetable(shape, None)
        key = (sound.recording, sound.start, sound.length, sound.cycle)
        with self._lock:
            if key in self._tables:
                self._tables.move_to_end(key)
                return self._tables[key]
        made = self._elsewhere(table_of, sound)
        with self._lock:
            self._tables[key] = made
            while len(self._tables) > 1 and self._table_bytes() > MOST_TABLE_BYTES:
                self._tables.popitem(last=False)
        return made

    def _table_bytes(self) -> int:
        return sum(table.audio.nbytes for table in self._tables.values())

    def contour(self, sound: Sound) -> NDArray[np.float64]:
        """The course of a recording; may raise a BloomError."""
        key = (sound.recording, sound.start, sound.length)
        if key not in self._courses:
            self._courses[key] = self._elsewhere(course_of, sound)
        return self._courses[key]

    def clip(self, sound: Sound) -> Material:
        """The material of a sound, prepared now if it is not at hand; may raise a BloomError."""
        key = (sound.recording, sound.start, sound.length)
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        material = find_prepared(self._store, sound) or self._prepared(sound)
        with self._lock:
            self._kept[key] = material
            while len(self._kept) > 1 and self._bytes() > MOST_BYTES:
                self._kept.popitem(last=False)
        return material

    def _prepared(self, sound: Sound) -> Material:
        self._elsewhere(prepare, sound)
        return load_prepared(self._store, sound)

    def _elsewhere(self, work: Callable[[Path, Sound], T], sound: Sound) -> T:
        """What a process of its own makes of a sound; may raise a BloomError."""
        self._store.locate(sound)
        try:
            return self._worker.submit(work, self._store.root, sound).result()
        except BrokenExecutor as error:
            self._worker = background_executor()
            raise SoundFileError("Preparing the recording was cut short: try again.") from error
        except OSError as error:
            raise SoundFileError(f"The disk refused: {error.strerror or error}.") from error

    def path_of(self, digest: str) -> Path:
        """A readable file of a recording; raises a BloomError if there is none."""
        return self._store.readable(digest)

    def _bytes(self) -> int:
        return sum(material.audio.nbytes for material in self._kept.values())
