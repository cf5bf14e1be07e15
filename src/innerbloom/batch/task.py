"""A task: what one worker does by itself, told wholly by plain values and by recordings' hashes."""

from __future__ import annotations

import hashlib
import os
import socket
import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import platformdirs

import innerbloom
from innerbloom.core.atomic import written_whole
from innerbloom.core.errors import BloomError
from innerbloom.store.files import FileStore

Params = dict[str, Any]


class BatchError(BloomError):
    """A batch that could not go on: no scheduler, no workers, or workers of another version."""


@dataclass(frozen=True)
class Blob:
    """A recording on its way to a worker.

    Attributes
    ----------
    digest : str
        By which documents name it.
    suffix : str
    decoded : bool
        Whether the content is its samples, of a format that libsndfile does not read.
    sha256 : str
        Of the content.
    """

    digest: str
    content: bytes
    suffix: str
    decoded: bool
    sha256: str

    @classmethod
    def of(cls, store: FileStore, digest: str) -> Blob:
        """A recording of a project; raises a BloomError where it is not there."""
        path = store.readable(digest)
        content = path.read_bytes()
        found = hashlib.sha256(content).hexdigest()
        return cls(digest, content, path.suffix, path != store.find(digest), found)

    def keep(self, store: FileStore) -> None:
        """Lay it where it is found from now on; raises a BatchError where it arrived otherwise."""
        if has(store, self.digest):
            return
        if hashlib.sha256(self.content).hexdigest() != self.sha256:
            raise BatchError("A recording was damaged on its way to a worker: start again.")
        if self.decoded:
            with written_whole(store.decoded_path(self.digest)) as beside:
                beside.write_bytes(self.content)
            return
        incoming = store.new_incoming(f"sent{self.suffix}")
        incoming.write_bytes(self.content)
        store.adopt(incoming, self.digest, self.suffix)


def has(store: FileStore, digest: str) -> bool:
    """Whether a store holds a recording."""
    return store.find(digest) is not None or store.decoded_path(digest).is_file()


@dataclass(frozen=True)
class Task:
    """One task of a batch.

    Attributes
    ----------
    kind : str
        Of :data:`.TASK_KINDS`.
    params : dict
        Plain values: documents, settings, numbers.
    recordings : tuple of str
        SHA-256 of all recordings it reads.
    """

    kind: str
    params: Params
    recordings: tuple[str, ...] = ()


@dataclass(frozen=True)
class TaskKind:
    """What tasks of one kind do.

    Attributes
    ----------
    id : str
    run : callable
        ``run(params, store, going)`` with a store that holds the task's recordings; the same on whatever
        machine. ``going(share)`` gives False where it should stop. Gives what can be pickled.
    """

    id: str
    run: Callable[[Params, FileStore, Callable[[float], bool]], Any]


@dataclass(frozen=True)
class Outcome:
    """What came of a task.

    Attributes
    ----------
    value
        What its kind gives; None where ``error`` or ``missing`` say why.
    error : str
        One sentence.
    refused : bool
        Whether no task of the batch can be done there.
    missing : tuple of str
        Recordings that the worker does not have yet.
    where : str
        Machine and process.
    seconds : float
        Of work.
    """

    value: Any = None
    error: str = ""
    refused: bool = False
    missing: tuple[str, ...] = ()
    where: str = ""
    seconds: float = 0.0


@cache
def code_version() -> str:
    """Version of the package and a hash over the code that decides what comes of a task."""
    root = Path(innerbloom.__file__).parent
    found = hashlib.sha256()
    for folder in ("core", "batch"):
        for path in sorted((root / folder).rglob("*.py")):
            found.update(path.relative_to(root).as_posix().encode())
            found.update(path.read_bytes())
    return f"{innerbloom.__version__}+{found.hexdigest()[:12]}"


def where() -> str:
    """This machine and process."""
    return f"{socket.gethostname()}:{os.getpid()}"


def perform(
    task: Task,
    version: str,
    root: str,
    blobs: tuple[Blob, ...] = (),
    going: Callable[[float], bool] = lambda share: True,
) -> Outcome:
    """Do a task in a worker; never raises a BloomError.

    Parameters
    ----------
    version : str
        Of whoever asks; a worker of another one refuses, since its sounds might differ.
    root : str
        Folder in which recordings lie, or are kept from now on; the worker's own where it is empty.
    blobs : tuple of Blob
        Recordings that travel along.
    """
    from innerbloom.batch.kinds import TASK_KINDS

    here = where()
    if version != code_version():
        return Outcome(error=other_version(here, code_version(), version), refused=True, where=here)
    began = time.perf_counter()
    try:
        store = FileStore(Path(root) if root else worker_folder())
        for blob in blobs:
            blob.keep(store)
        missing = tuple(one for one in task.recordings if not has(store, one))
        if missing:
            return Outcome(missing=missing, where=here)
        value = TASK_KINDS[task.kind].run(task.params, store, going)
    except BloomError as error:
        return Outcome(error=str(error), where=here)
    except OSError as error:
        return Outcome(error=f"The disk of {here} refused: {error.strerror or error}.", where=here)
    return Outcome(value, where=here, seconds=time.perf_counter() - began)


def other_version(here: str, its: str, ours: str) -> str:
    """The sentence for a worker whose sounds might differ."""
    return f"The worker {here} runs version {its}, and this is {ours}: start it from the same."


def worker_folder() -> Path:
    """Where a worker keeps recordings: ``BLOOM_WORKER_FOLDER``, or the user's cache."""
    given = os.environ.get("BLOOM_WORKER_FOLDER")
    return Path(given) if given else Path(platformdirs.user_cache_dir("inner-bloom")) / "worker"
