"""What tells files apart: a hash of their content."""

from __future__ import annotations

import hashlib
from pathlib import Path


def file_digest(path: Path) -> str:
    """SHA-256 of a file's content, as 64 hexadecimal digits."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
