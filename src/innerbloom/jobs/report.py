"""How long work tells its progress and learns that it should stop: two small files.

Files rather than pipes, so that a worker may run anywhere that shares the project's folder.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

from innerbloom.core.atomic import written_whole
from innerbloom.store.sounding import Sounding

_EVERY_S = 0.1
_SLICE_S = 0.01


class Report:
    """Called with a share of 0..1; returns False once the work should stop.

    Parameters
    ----------
    folder : Path
    job_id : str
    aside_for : Sounding, optional
        Live sound that the work steps aside for: a call then rests while it plays.
    step_aside : callable
        Called once, when it first plays.
    """

    def __init__(
        self,
        folder: Path,
        job_id: str,
        aside_for: Sounding | None = None,
        step_aside: Callable[[], None] = lambda: None,
    ) -> None:
        self._aside_for, self._step_aside = aside_for, step_aside
        self._stepped = False
        self._worked_from = time.monotonic()
        self._progress = folder / f"{job_id}.progress"
        self._cancel = folder / f"{job_id}.cancel"
        self._next = 0.0

    def __call__(self, share: float) -> bool:
        self._rest()
        if time.monotonic() >= self._next:
            self._next = time.monotonic() + _EVERY_S
            with written_whole(self._progress) as beside:
                beside.write_text(f"{min(1.0, share):.4f}")
        return not self._cancel.exists()

    def going(self) -> bool:
        """Rest where live sound asks for it, and say whether to go on, without telling a share."""
        self._rest()
        return not self._cancel.exists()

    def _rest(self) -> None:
        worked_s = time.monotonic() - self._worked_from
        if self._aside_for is None or worked_s < _SLICE_S:
            return
        pause_s = self._aside_for.pause_s(worked_s)
        if pause_s > 0.0 and not self._stepped:
            self._stepped = True
            self._step_aside()
        time.sleep(pause_s)
        self._worked_from = time.monotonic()

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
