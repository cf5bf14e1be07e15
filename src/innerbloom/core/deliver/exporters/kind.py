"""What an exporter is: one way in which one kind of thing leaves as a file."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any


@dataclass(frozen=True)
class Exporter:
    """One way out.

    Attributes
    ----------
    id : str
        As in addresses and in ``bloom export --as``.
    of : str
        What it exports: a class of :mod:`.subjects`, by its ``kind``.
    name : str
        What the page calls it.
    suffix, media : str
        Of the file, with its dot; and its media type.
    write : callable
        ``write(subject, target)``; the file is whole or not there. Raises a BloomError where the
        subject has nothing of the kind.
    read : callable or None
        ``read(path)`` gives what was written, to be compared with; None where it is for others to read.
    """

    id: str
    of: str
    name: str
    suffix: str
    media: str
    write: Callable[[Any, Path], None]
    read: Callable[[Path], Any] | None = None
