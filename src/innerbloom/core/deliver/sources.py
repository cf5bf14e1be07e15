"""Where a document's sounds are: beside the document, or on the shelf by their hash."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.sound import Sound
from innerbloom.core.digest import file_digest
from innerbloom.core.errors import DocumentError
from innerbloom.core.materials.held import CachedMaterials, FileMaterials
from innerbloom.core.materials.protocol import Locate, Located, Stretch


def beside(folder: Path, *, trusted: bool = False) -> Locate:
    """Sounds whose ``path`` is relative to a folder.

    Parameters
    ----------
    trusted : bool
        Whether a file is taken as it is where a document names the hash of another content: packed
        ones are of another format than the recording that they came from.
    """
    checked: set[Path] = set()

    def locate(sound: Located) -> Path:
        if sound.path is None:
            raise DocumentError(
                "The document names a recording without saying where it is: export it as a bundle."
            )
        path = (folder / sound.path).resolve()
        if not path.is_relative_to(folder.resolve()):
            raise DocumentError(f"The document reaches outside its folder: '{sound.path}'.")
        if not path.is_file():
            raise DocumentError(f"The recording '{sound.path}' is not beside the document.")
        if not trusted and sound.recording is not None and path not in checked:
            if file_digest(path) != sound.recording:
                raise DocumentError(
                    f"'{sound.path}' has changed since the document was made: put back what it was, "
                    "or say --trust to go on with what it is."
                )
            checked.add(path)
        return path

    return locate


def file_materials(locate: Locate) -> CachedMaterials:
    """Materials made of files, each made once."""
    return CachedMaterials(FileMaterials(locate))


def read_sound(sound: Sound, locate: Locate) -> tuple[NDArray[np.float32], int]:
    """Samples of shape (frames, 1 or 2) and rate of the stretch that a sound names."""
    return Stretch.of(sound).read(locate)
