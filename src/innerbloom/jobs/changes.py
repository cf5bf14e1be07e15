"""Which jobs changed since when, so that whoever follows them need not ask for all."""

from __future__ import annotations

import threading
import time
import uuid


class Changes:
    """A count of changes; waits for the next one.

    A moment is a text, good for as long as the server runs: ``"<start of the server>.<count>"``.
    """

    def __init__(self) -> None:
        self._start = uuid.uuid4().hex[:8]
        self._count = 0
        self._last: dict[str, int] = {}
        self._changed = threading.Condition()
        self._ended = False

    def add(self, job_id: str) -> None:
        """A job changed."""
        with self._changed:
            self._count += 1
            self._last[job_id] = self._count
            self._changed.notify_all()

    def now(self) -> str:
        """The present moment."""
        with self._changed:
            return f"{self._start}.{self._count}"

    def end(self) -> None:
        """Let go of whoever waits: from now on nobody does."""
        with self._changed:
            self._ended = True
            self._changed.notify_all()

    def since(self, moment: str, wait_s: float) -> list[str] | None:
        """Ids of jobs that changed since a moment, waiting for one if there is none.

        None where the moment is of an earlier run of the server.
        """
        start, _, count = moment.partition(".")
        if start != self._start or not count.isdigit():
            return None
        until = time.monotonic() + wait_s
        with self._changed:
            while True:
                found = [job for job, at in self._last.items() if at > int(count)]
                left = until - time.monotonic()
                if found or left <= 0 or self._ended:
                    return found
                self._changed.wait(left)
