"""A folder of things that can be made again, the least used given up first."""

from __future__ import annotations

import os
import shutil
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Entry:
    """One entry: its folder, when it was used last (seconds since the epoch), and its size."""

    folder: Path
    used: float
    bytes: int


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

    def entries(self) -> list[Entry]:
        """All entries, last used first."""
        found = []
        for folder in self.root.iterdir():
            if folder.is_dir() and not folder.name.startswith("."):
                try:
                    found.append(Entry(folder, folder.stat().st_mtime, size_on_disk(folder)))
                except OSError:
                    continue
        return sorted(found, key=lambda one: one.used, reverse=True)

    def prune(self, most_bytes: int, *, keep: str = "") -> None:
        """Give up what was used longest ago; the entry ``keep`` stays whatever its size."""
        total = 0
        for entry in self.entries():
            total += entry.bytes
            if total > most_bytes and entry.folder.name != keep:
                shutil.rmtree(entry.folder, ignore_errors=True)
                total -= entry.bytes

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
