"""How long work tells its progress and learns that it should stop: two small files.

Files rather than pipes, so that a worker may run anywhere that shares the project's folder.
"""

from __future__ import annotations

import time
from pathlib import Path

from innerbloom.core.atomic import written_whole

_EVERY_S = 0.1


class Report:
    """Called with a share of 0..1; returns False once the work should stop.

    Parameters
    ----------
    folder : Path
    job_id : str
    """

    def __init__(self, folder: Path, job_id: str) -> None:
        self._progress = folder / f"{job_id}.progress"
        self._cancel = folder / f"{job_id}.cancel"
        self._next = 0.0

    def __call__(self, share: float) -> bool:
        if time.monotonic() >= self._next:
            self._next = time.monotonic() + _EVERY_S
            with written_whole(self._progress) as beside:
                beside.write_text(f"{min(1.0, share):.4f}")
        return self.going()

    def going(self) -> bool:
        """Say whether to go on, without telling a share."""
        return not self._cancel.exists()

    def read(self) -> float:
        """The share told last; 0 before any was."""
        try:
            return float(self._progress.read_text())
        except (OSError, ValueError):
            return 0.0

    def began(self) -> bool:
        """Whether the work has told anything yet."""
        return self._progress.exists()

    def ask_to_stop(self) -> None:
        self._cancel.touch()

    def forget(self) -> None:
        """Remove both files."""
        self._progress.unlink(missing_ok=True)
        self._cancel.unlink(missing_ok=True)
