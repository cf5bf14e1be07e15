"""The sounds of a document that lies among files, as a store that finds them by their hash."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory

from innerbloom.core.digest import file_digest
from innerbloom.core.instrument.document import Instrument, sounds_of
from innerbloom.core.materials.protocol import Locate
from innerbloom.store.files import FileStore


@contextmanager
def linked_store(document: Instrument, locate: Locate) -> Iterator[tuple[FileStore, Instrument]]:
    """A store of links to a document's files, and the document with their hashes in it, while the context lasts.

    Raises
    ------
    BloomError
        If a file cannot be found.
    """
    with TemporaryDirectory() as folder:
        store = FileStore(Path(folder))
        hashed = document.model_copy(deep=True)
        for sound in sounds_of(hashed):
            sound.recording, sound.path = link(store, locate(sound)), None
        yield store, hashed


def link(store: FileStore, path: Path) -> str:
    """Make a file known to a store without copying it; gives its hash."""
    digest = file_digest(path)
    if store.find(digest) is None:
        target = store.originals / digest[:2] / f"{digest}{path.suffix.lower()}"
        target.parent.mkdir(exist_ok=True)
        os.symlink(path.resolve(), target)
    return digest
