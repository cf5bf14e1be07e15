"""Files that are whole or absent: written beside their place and moved there once they are done."""

from __future__ import annotations

import os
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


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
