"""How long ago a file was written, as far as the clock can tell."""

from __future__ import annotations

import time
from pathlib import Path


def age_s(path: Path) -> float:
    """Seconds since a file or folder was last written; infinite where there is none.

    One that seems to be of the future was written before the clock was set back: how long ago nobody
    knows, and by the distance it does not count as new until the clock has caught up.
    """
    try:
        return abs(time.time() - path.stat().st_mtime)
    except OSError:
        return float("inf")
