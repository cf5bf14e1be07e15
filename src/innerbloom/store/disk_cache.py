"""A folder of things that can be made again, the least used given up first."""

from __future__ import annotations

import os
import shutil
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


class DiskCache:
    """Entries by key, each a folder of files.

    An entry is used whenever it is found; beyond a size those used longest ago go.

    Parameters
    ----------
    root : Path
        Made if it is not there.
    """

    def __init__(self, root: Path) -> None:
        self.root = root
        root.mkdir(parents=True, exist_ok=True)

    def folder(self, key: str) -> Path:
        """The folder of an entry, whether it is there or not."""
        return self.root / key

    def find(self, key: str, *names: str) -> Path | None:
        """The folder of an entry that has all these files; it counts as used now."""
        folder = self.folder(key)
        try:
            if not all((folder / name).is_file() for name in names):
                return None
            os.utime(folder)
        except OSError:
            return None
        return folder

    @contextmanager
    def writing(self, key: str) -> Iterator[Path]:
        """An empty folder; what is in it joins the entry when the block ends well.

        Files take the place of those of the same name, in the order of their names, each whole.
        """
        beside = self.root / f".{uuid.uuid4().hex}"
        beside.mkdir()
        try:
            yield beside
            folder = self.folder(key)
            folder.mkdir(exist_ok=True)
            for path in sorted(beside.iterdir()):
                os.replace(path, folder / path.name)
            os.utime(folder)
        finally:
            shutil.rmtree(beside, ignore_errors=True)

    def entries(self) -> list[Path]:
        """Folders of all entries, last used first."""
        found = [path for path in self.root.iterdir() if path.is_dir()]
        found = [path for path in found if not path.name.startswith(".")]
        return sorted(found, key=_used, reverse=True)

    def prune(self, most_bytes: int, *, oldest: float = 0.0, keep: str = "") -> int:
        """Give up what was used longest ago, and before a moment; gives the bytes that are free.

        Parameters
        ----------
        most_bytes : int
        oldest : float
            Seconds since the epoch.
        keep : str
            Key of an entry that stays.
        """
        total = freed = 0
        for folder in self.entries():
            size = size_on_disk(folder)
            total += size
            if (total > most_bytes or _used(folder) < oldest) and folder.name != keep:
                shutil.rmtree(folder, ignore_errors=True)
                total -= size
                freed += size
        return freed

    def sweep(self) -> None:
        """Remove what a kill left half done, and what is no entry."""
        for path in self.root.iterdir():
            if path.is_file():
                path.unlink(missing_ok=True)
            elif path.name.startswith("."):
                shutil.rmtree(path, ignore_errors=True)


def size_on_disk(folder: Path) -> int:
    """Bytes of all files in a folder, at whatever depth."""
    total = 0
    for path in folder.rglob("*"):
        try:
            total += path.stat().st_size if path.is_file() else 0
        except OSError:
            continue
    return total


def _used(folder: Path) -> float:
    try:
        return folder.stat().st_mtime
    except OSError:
        return 0.0
