"""Work beside the sound of which only the newest counts: one thread, however often it is asked for."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable

log = logging.getLogger(__name__)


class Newest:
    """Does what it is given in a thread of its own; what is overtaken before its turn is dropped."""

    def __init__(self) -> None:
        self._wanted: Callable[[], None] | None = None
        self._busy = False
        self._lock = threading.Lock()

    def do(self, work: Callable[[], None]) -> None:
        """Do this next, in place of whatever waits; what it raises is logged."""
        with self._lock:
            self._wanted = work
            if self._busy:
                return
            self._busy = True
        threading.Thread(target=self._run, daemon=True).start()

    def _run(self) -> None:
        while True:
            with self._lock:
                work, self._wanted = self._wanted, None
                if work is None:
                    self._busy = False
                    return
            try:
                work()
            except Exception:
                # the next one has its turn all the same
                log.exception("work beside the sound failed")
