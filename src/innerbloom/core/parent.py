"""Processes that end with the one that has started them, however that ends."""

from __future__ import annotations

import multiprocessing
import os
import threading
import time

_LOOK_EVERY_S = 1.0


def end_with(parent: int) -> None:
    """From now on end within a second or so once ``parent`` is no more the parent of this process.

    An engine that compiles reads nothing, and would not learn of it otherwise.
    """
    threading.Thread(target=_watch, args=(parent,), daemon=True).start()


def end_with_parent_process() -> None:
    """The same for a process of :mod:`multiprocessing`, which may be forked by another than its parent.

    A pool's worker holds both ends of its own queue, and would not learn of it otherwise.
    """
    threading.Thread(target=_end_after_parent_process, daemon=True).start()


def _end_after_parent_process() -> None:
    parent = multiprocessing.parent_process()
    if parent is not None:
        parent.join()
        os._exit(0)


def _watch(parent: int) -> None:
    while os.getppid() == parent:
        time.sleep(_LOOK_EVERY_S)
    os._exit(0)
