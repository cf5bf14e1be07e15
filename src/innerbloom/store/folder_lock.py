"""One server a project folder: two on the same one would take each other's uploads and jobs for leftovers."""

from __future__ import annotations

import fcntl
import json
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from innerbloom.core.errors import BloomError

LOCK = ".in-use"


class FolderInUse(BloomError):
    """A project folder that another process works in.

    Attributes
    ----------
    address : str
        Where it is served; empty where it is not.
    """

    def __init__(self, root: Path, pid: int, address: str) -> None:
        self.address = address
        by = f"by process {pid}" if pid else "by another process"
        where = f" at {address}: open that" if address else ": wait for it"
        super().__init__(f"The project in '{root}' is in use {by}{where}, or end it first.")


@contextmanager
def folder_lock(root: Path, address: str = "") -> Iterator[None]:
    """Hold a project folder; it is free again when this process and its children end, however they do.

    Parameters
    ----------
    root : Path
        Made if it is not there, for this user alone.
    address : str
        Where it is served, for whoever comes second.

    Raises
    ------
    FolderInUse
        If another process holds it.
    """
    root.mkdir(parents=True, exist_ok=True, mode=0o700)
    handle = os.open(root / LOCK, os.O_RDWR | os.O_CREAT, 0o600)
    try:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            raise FolderInUse(root, *_holder(handle)) from error
        os.ftruncate(handle, 0)
        os.pwrite(handle, json.dumps({"pid": os.getpid(), "address": address}).encode(), 0)
        yield
    finally:
        os.close(handle)


def _holder(handle: int) -> tuple[int, str]:
    try:
        told = json.loads(os.pread(handle, 10_000, 0))
        return int(told["pid"]), str(told["address"])
    except (ValueError, KeyError, TypeError):
        # the other has only just taken it
        return 0, ""
