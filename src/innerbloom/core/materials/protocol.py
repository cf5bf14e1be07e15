"""Materials by request: a value says what is wanted, and is its own key wherever things are kept.

A kind of material is a request: what it is made of, how it is made, and, where it is worth keeping
on disk, how it is written and read. Who finds materials has one method, ``get``, and whatever
wraps it (files, a cache in memory, a folder of prepared ones, a process of its own) is written once
for all kinds.
"""

from __future__ import annotations

import hashlib
from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, ClassVar, Generic, Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.sound import MAX_STRETCH_S, Sound
from innerbloom.core.sound.files import read_stretch, sound_info

T = TypeVar("T")
T_co = TypeVar("T_co", covariant=True)


class Located(Protocol):
    """Whatever says which file it is about: a Sound, a Stretch."""

    @property
    def recording(self) -> str | None: ...

    @property
    def path(self) -> str | None: ...


Locate = Callable[[Located], Path]
"""Finds the audio file of a sound, or raises a BloomError."""


@dataclass(frozen=True)
class Stretch:
    """A stretch of a recording, in seconds; to its end where ``length`` is None."""

    recording: str | None = None
    path: str | None = None
    start: float = 0.0
    length: float | None = None

    @classmethod
    def of(cls, sound: Sound) -> Stretch:
        """The stretch that a sound names."""
        return cls(sound.recording, sound.path, sound.start, sound.length)

    def read(self, locate: Locate) -> tuple[NDArray[np.float32], int]:
        """Its samples, shape (frames, 1 or 2), and their rate."""
        return read_stretch(locate(self), self.start, self.length, MAX_STRETCH_S)

    def seconds(self, locate: Locate) -> float:
        """How long it is, as far as its file goes and may be loaded."""
        there = sound_info(locate(self)).seconds - self.start
        return min(there, MAX_STRETCH_S if self.length is None else self.length)


@dataclass(frozen=True)
class Request(ABC, Generic[T_co]):
    """What is wanted of a stretch; subclasses are frozen dataclasses that add how.

    Attributes
    ----------
    stretch : Stretch or None
        None for what needs no recording.
    """

    stretch: Stretch | None

    version: ClassVar[int] = 1
    """Raised when the same request makes something else, so that what is kept is not used."""

    kept_on_disk: ClassVar[bool] = False
    """Whether it is worth a place on disk: then :meth:`save` and :meth:`load` are there."""

    @abstractmethod
    def make(self, locate: Locate, materials: Materials) -> T_co:
        """Make it of the recording, and of other materials; may raise a BloomError."""

    def read(self, locate: Locate) -> tuple[NDArray[np.float32], int]:
        """Samples of the stretch, shape (frames, 1 or 2), and their rate."""
        assert self.stretch is not None
        return self.stretch.read(locate)

    def key(self) -> str:
        """A name that says all that decides what comes of it: 64 hexadecimal digits."""
        return hashlib.sha256(f"{self.version} {self!r}".encode()).hexdigest()

    def save(self, made: Any, folder: Path) -> None:
        """Write what was made into an empty folder."""
        raise NotImplementedError

    def load(self, folder: Path) -> T_co:
        """Read what was written; raises OSError, ValueError or KeyError where it is damaged."""
        raise NotImplementedError


class Materials(Protocol):
    """Finds what sounds are made of."""

    def get(self, request: Request[T]) -> T:
        """What a request asks for; may raise a BloomError."""


def size_of(made: Any) -> int:
    """Bytes of a material."""
    return int(getattr(made, "audio", made).nbytes)
