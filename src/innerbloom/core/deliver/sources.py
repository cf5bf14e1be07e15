"""Where a document's sounds are: beside the document, or on the shelf by their hash."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from pathlib import Path

from innerbloom.core.engine import Material, prepare_material
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.document import MAX_STRETCH_S, Sound
from innerbloom.core.sound.files import read_stretch

Locate = Callable[[Sound], Path]
"""Finds the audio file of a sound, or raises a BloomError."""


def beside(folder: Path) -> Locate:
    """Sounds whose ``path`` is relative to a folder."""

    def locate(sound: Sound) -> Path:
        if sound.path is None:
            raise DocumentError(
                "The instrument names a recording without saying where it is: export it as a bundle."
            )
        path = (folder / sound.path).resolve()
        if not path.is_relative_to(folder.resolve()):
            raise DocumentError(f"The instrument reaches outside its folder: '{sound.path}'.")
        if not path.is_file():
            raise DocumentError(f"The recording '{sound.path}' is not beside the instrument.")
        return path

    return locate


def load_material(sound: Sound, locate: Locate) -> Material:
    """Read and prepare the stretch that a sound names."""
    samples, rate = read_stretch(locate(sound), sound.start, sound.length, MAX_STRETCH_S)
    return prepare_material(samples, rate)


def loader(locate: Locate) -> Callable[[Sound], Material]:
    """A loader for :func:`~innerbloom.core.engine.compile_program` that reads each stretch once."""
    seen: dict[tuple[Path, float, float | None], Material] = {}

    def load(sound: Sound) -> Material:
        key = (locate(sound), sound.start, sound.length)
        if key not in seen:
            seen[key] = load_material(sound, locate)
        return seen[key]

    return load


def file_digest(path: Path) -> str:
    """SHA-256 of a file's content, as 64 hexadecimal digits."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
