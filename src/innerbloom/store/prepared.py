"""Materials kept on disk: made once, then mapped into memory."""

from __future__ import annotations

from pathlib import Path
from typing import Any, TypeVar

from innerbloom.core.errors import BloomError, SoundFileError
from innerbloom.core.materials.held import FileMaterials
from innerbloom.core.materials.protocol import Materials, Request
from innerbloom.store.files import FileStore

MOST_BYTES = 8 << 30
T = TypeVar("T")


class DiskMaterials:
    """Keeps on disk what is worth it.

    Parameters
    ----------
    store : FileStore
    inner : Materials, optional
        Who makes what is not at hand; from the project's files otherwise.
    """

    def __init__(self, store: FileStore, inner: Materials | None = None) -> None:
        self._store = store
        self._inner = inner or FileMaterials(store.locate)

    def find(self, request: Request[T]) -> T | None:
        """What was made earlier; None if it is not at hand."""
        if not request.kept_on_disk:
            return None
        folder = self._store.prepared.find(request.key())
        if folder is None:
            return None
        try:
            return request.load(folder)
        except (OSError, ValueError, KeyError, BloomError):
            return None

    def get(self, request: Request[T]) -> T:
        """What is asked for, made now if it is not at hand; may raise a BloomError."""
        if not request.kept_on_disk:
            # what it is made of may be kept
            return request.make(self._store.locate, self)
        found = self.find(request)
        if found is None:
            self._keep(request)
            found = self.find(request)
        if found is None:
            raise SoundFileError("This recording could not be prepared: is the disk full?")
        return found

    def _keep(self, request: Request[Any]) -> None:
        made = self._inner.get(request)
        key = request.key()
        with self._store.prepared.writing(key) as folder:
            request.save(made, folder)
        self._store.prepared.prune(MOST_BYTES, keep=key)


def prepare(root: Path, request: Request[T]) -> T | None:
    """What a request asks for, in a process of its own; None where it is on disk now."""
    materials = DiskMaterials(FileStore(root))
    made = materials.get(request)
    return None if request.kept_on_disk else made
