"""Materials for live sound: made in a process of their own, which would hold up the sound."""

from __future__ import annotations

from concurrent.futures import BrokenExecutor
from typing import TypeVar

from innerbloom.core.errors import SoundFileError
from innerbloom.core.materials.held import CachedMaterials
from innerbloom.core.materials.protocol import Request
from innerbloom.processes import Start, background_executor
from innerbloom.store.files import FileStore
from innerbloom.store.prepared import DiskMaterials, prepare

T = TypeVar("T")


class ProcessMaterials:
    """Has another process make what is not on disk already.

    Parameters
    ----------
    store : FileStore
    start : {"spawn", "fork"}
        How the first such process starts; see :func:`.background_executor`.
    """

    def __init__(self, store: FileStore, start: Start = "spawn") -> None:
        self._store, self._kept = store, DiskMaterials(store)
        self._worker = background_executor(start=start)
        # started now, so that the first sound does not wait for it
        self._worker.submit(int).add_done_callback(lambda _: None)

    def get(self, request: Request[T]) -> T:
        """What is asked for; may raise a BloomError."""
        found = self._kept.find(request)
        if found is not None:
            return found
        if request.stretch is None:
            return self._kept.get(request)
        self._store.locate(request.stretch)
        made = self._elsewhere(request)
        return self._kept.get(request) if made is None else made

    def _elsewhere(self, request: Request[T]) -> T | None:
        try:
            return self._worker.submit(prepare, self._store.root, request).result()
        except BrokenExecutor as error:
            # there are threads by now
            self._worker = background_executor(start="spawn")
            raise SoundFileError("Preparing the recording was cut short: try again.") from error
        except OSError as error:
            raise SoundFileError(f"The disk refused: {error.strerror or error}.") from error


def live_materials(store: FileStore, start: Start = "spawn") -> CachedMaterials:
    """Materials shared by all sessions: in memory, else on disk, else made elsewhere."""
    return CachedMaterials(ProcessMaterials(store, start))
