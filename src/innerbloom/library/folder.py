"""Where sounds that are made but not yet written lie: a temporary folder of this process."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory
from uuid import uuid4


@cache
def _folder() -> TemporaryDirectory[str]:
    # removed when the process ends
    return TemporaryDirectory(prefix="bloom-library-")


def new_folder() -> Path:
    """An empty folder, kept while the process runs."""
    made = Path(_folder().name) / uuid4().hex
    made.mkdir()
    return made


def new_file(name: str) -> Path:
    """A place for a file of this name; what a file system may not take in it is replaced."""
    from innerbloom.core.names import safe_stem

    given = Path(name)
    return new_folder() / f"{safe_stem(given.stem)}{given.suffix}"
