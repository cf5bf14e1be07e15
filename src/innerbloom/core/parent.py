"""Processes that end with the one that has started them, however that ends."""

from __future__ import annotations

import os
import threading
import time

_LOOK_EVERY_S = 1.0


def end_with(parent: int) -> None:
    """From now on end within a second or so once ``parent`` is no more the parent of this process.

    A pool's worker holds both ends of its own queue, and an engine that compiles reads nothing: neither
    would learn of it otherwise.
    """
    threading.Thread(target=_watch, args=(parent,), daemon=True).start()


def _watch(parent: int) -> None:
    while os.getppid() == parent:
        time.sleep(_LOOK_EVERY_S)
    os._exit(0)
