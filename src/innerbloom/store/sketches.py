"""What instruments sound like, small: one sketch an instrument, of one of its revisions."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.atomic import written_whole
from innerbloom.store.files import FileStore


def _path(store: FileStore, instrument: int, revision: int) -> Path:
    return store.sketches / f"{instrument}-{revision}.npy"


def sketch_of(store: FileStore, instrument: int, revision: int) -> NDArray[np.uint8] | None:
    """The sketch of a revision; None where it has not been made."""
    try:
        found: NDArray[np.uint8] = np.load(_path(store, instrument, revision))
    except (OSError, ValueError):
        return None
    return found


def keep_sketch(store: FileStore, instrument: int, revision: int, made: NDArray[np.uint8]) -> None:
    """Keep a sketch in place of those of earlier revisions."""
    target = _path(store, instrument, revision)
    with written_whole(target) as beside, beside.open("wb") as out:
        np.save(out, made)
    for old in store.sketches.glob(f"{instrument}-*.npy"):
        if old != target:
            old.unlink(missing_ok=True)
