"""Prepared sounds shared by all sessions, the least used given up first.

Preparing takes a second and would hold up the sound, so a process of its own does it.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from concurrent.futures import BrokenExecutor
from pathlib import Path
from typing import Generic, TypeVar

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.sound import Sound
from innerbloom.core.deliver.sources import FileMaterials
from innerbloom.core.engine import Material
from innerbloom.core.errors import SoundFileError
from innerbloom.core.materials.spectrum.prepared import Matching, PlayedSpectrum
from innerbloom.core.materials.wavetable.prepared import Wavetable
from innerbloom.processes import background_executor
from innerbloom.store.files import FileStore
from innerbloom.store.prepared import (
    colour_from,
    course_of,
    find_prepared,
    load_prepared,
    played_spectrum,
    prepare,
    segments_from,
    table_of,
)

T = TypeVar("T")


class _Kept(Generic[T]):
    """Things that were made, the least used given up beyond a size in bytes.

    Parameters
    ----------
    most : int
        Bytes that are kept; the newest stays whatever its size.
    size : callable
        Bytes of one.
    """

    def __init__(self, most: int, size: Callable[[T], int]) -> None:
        self._most, self._size = most, size
        self._things: OrderedDict[Hashable, T] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """What is kept under a key, made now if it is not at hand."""
        with self._lock:
            if key in self._things:
                self._things.move_to_end(key)
                return self._things[key]
        made = make()
        with self._lock:
            self._things[key] = made
            while (
                len(self._things) > 1 and sum(map(self._size, self._things.values())) > self._most
            ):
                self._things.popitem(last=False)
        return made


class MaterialCache:
    """Materials by recording and stretch."""

    def __init__(self, store: FileStore) -> None:
        self._store = store
        self._clips: _Kept[Material] = _Kept(3 << 30, lambda one: one.audio.nbytes)
        self._tables: _Kept[Wavetable] = _Kept(1 << 30, lambda one: one.audio.nbytes)
        self._spectra: _Kept[PlayedSpectrum] = _Kept(1 << 30, lambda one: one.audio.nbytes)
        self._segments: _Kept[NDArray[np.float64]] = _Kept(64 << 20, lambda one: one.nbytes)
        self._colours: _Kept[NDArray[np.float32]] = _Kept(256 << 20, lambda one: one.nbytes)
        self._courses: _Kept[NDArray[np.float64]] = _Kept(64 << 20, lambda one: one.nbytes)
        self._made = FileMaterials(store.locate)
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
        key = (*_stretch(sound), sound.cycle)
        return self._tables.get(key, lambda: self._elsewhere(table_of, sound))

    def spectrum(self, sound: Sound, matching: Matching) -> PlayedSpectrum:
        """The spectrum of a sound, taken now if it is not at hand; may raise a BloomError."""
        said = None if sound.analysis is None else sound.analysis.model_dump_json()
        key = (*_stretch(sound), sound.root, said, matching)
        return self._spectra.get(key, lambda: self._elsewhere(played_spectrum, sound, matching))

    def segments(self, sound: Sound) -> NDArray[np.float64]:
        """The segments of a recording, described; may raise a BloomError."""
        return self._segments.get(_stretch(sound), lambda: self._elsewhere(segments_from, sound))

    def colour(self, sound: Sound) -> NDArray[np.float32]:
        """Spectra of a sound that lends its outline; may raise a BloomError."""
        return self._colours.get(_stretch(sound), lambda: self._elsewhere(colour_from, sound))

    def contour(self, sound: Sound) -> NDArray[np.float64]:
        """The course of a recording; may raise a BloomError."""
        return self._courses.get(_stretch(sound), lambda: self._elsewhere(course_of, sound))

    def clip(self, sound: Sound) -> Material:
        """The material of a sound, prepared now if it is not at hand; may raise a BloomError."""
        return self._clips.get(
            _stretch(sound), lambda: find_prepared(self._store, sound) or self._prepared(sound)
        )

    def _prepared(self, sound: Sound) -> Material:
        self._elsewhere(prepare, sound)
        return load_prepared(self._store, sound)

    def _elsewhere(self, work: Callable[..., T], sound: Sound, *more: object) -> T:
        """What a process of its own makes of a sound; may raise a BloomError."""
        self._store.locate(sound)
        try:
            return self._worker.submit(work, self._store.root, sound, *more).result()
        except BrokenExecutor as error:
            self._worker = background_executor()
            raise SoundFileError("Preparing the recording was cut short: try again.") from error
        except OSError as error:
            raise SoundFileError(f"The disk refused: {error.strerror or error}.") from error

    def path_of(self, digest: str) -> Path:
        """A readable file of a recording; raises a BloomError if there is none."""
        return self._store.readable(digest)


def _stretch(sound: Sound) -> tuple[str | None, float, float | None]:
    return sound.recording, sound.start, sound.length
