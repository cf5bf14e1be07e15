"""Taking a large request body to disk in pieces, hashing it on the way."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

from apiflask import HTTPError
from flask import request

from innerbloom.core.atomic import kept_on_disk
from innerbloom.store.files import FileStore

V = TypeVar("V", bound=Callable[..., Any])
LARGEST_BYTES = 16 << 30
_PIECE = 1 << 20


def takes_body(view: V) -> V:
    """Marks a view whose request's body is a file, for the description of the API."""
    view.takes_body = True  # type: ignore[attr-defined]
    return view


def receive(files: FileStore, name: str) -> tuple[Path, str]:
    """Stream the request's body into the incoming folder; returns the file and its SHA-256."""
    size = request.content_length
    if size is None:
        raise HTTPError(411, "The upload does not say how long it is.")
    if size == 0:
        raise HTTPError(400, f"'{Path(name).name[:120]}' is empty (0 bytes): export it again.")
    if size > LARGEST_BYTES:
        raise HTTPError(413, "The file is larger than 16 GB: split it first.")
    files.room_for(size)
    path = files.new_incoming(name)
    digest = hashlib.sha256()
    taken = 0
    try:
        with path.open("wb") as out:
            while piece := request.stream.read(_PIECE):
                digest.update(piece)
                out.write(piece)
                taken += len(piece)
    except BlockingIOError as error:
        path.unlink(missing_ok=True)
        raise HTTPError(408, "The upload stalled: add the file again.") from error
    except OSError:
        path.unlink(missing_ok=True)
        raise
    if taken != size:
        path.unlink(missing_ok=True)
        raise HTTPError(400, "The upload ended early: add the file again.")
    # whoever is told that it has arrived may delete it elsewhere
    kept_on_disk(path)
    return path, digest.hexdigest()
