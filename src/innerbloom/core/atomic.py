"""Files that are whole or absent: written beside their place and moved there once they are done."""

from __future__ import annotations

import errno
import os
import re
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory


@contextmanager
def written_whole(path: Path) -> Iterator[Path]:
    """Write a file under another name; it takes its place when the block ends well.

    Gives the path to write to, hidden, in the same folder and of the same suffix. Where the block
    raises, nothing is left and what was at ``path`` stays.

    Examples
    --------
    >>> with written_whole(folder / "scale.json") as beside:
    ...     beside.write_text("{}")
    """
    beside = path.with_name(f".{uuid.uuid4().hex[:12]}.{path.name}")
    try:
        yield beside
        os.replace(beside, path)
    finally:
        beside.unlink(missing_ok=True)


def final_name(path: Path) -> str:
    """The name that a file beside its place is to have; any other is its own already."""
    return re.sub(r"^\.[0-9a-f]{12}\.", "", path.name)


def kept_on_disk(path: Path) -> None:
    """Wait until a file's content and its name in its folder would outlast a loss of power; see fsync(2)."""
    for one, flags in ((path, os.O_RDONLY), (path.parent, os.O_RDONLY | os.O_DIRECTORY)):
        handle = os.open(one, flags)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


@contextmanager
def folder_written_whole(folder: Path) -> Iterator[Path]:
    """Fill a folder beside its place; it stands there once the block ends well, and never in part.

    Raises
    ------
    FileExistsError
        If there is something of that name already, or by the time the block ends; an empty folder is
        filled then.
    """
    taken = FileExistsError(errno.EEXIST, os.strerror(errno.EEXIST), str(folder))
    if folder.exists():
        raise taken
    folder.parent.mkdir(parents=True, exist_ok=True)
    with TemporaryDirectory(dir=folder.parent) as beside:
        whole = Path(beside) / folder.name
        whole.mkdir()
        yield whole
        try:
            whole.rename(folder)
        except OSError as error:
            # something else has been put there meanwhile
            raise (taken if folder.exists() else error) from None
