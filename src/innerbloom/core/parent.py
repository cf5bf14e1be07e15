"""Processes that end with the one that has started them, however that ends."""

from __future__ import annotations

import multiprocessing
import os
import threading


def end_with_parent_process() -> None:
    """From now on end as soon as the process that has asked for this one ends.

    An engine that compiles reads nothing, a pool's worker holds both ends of its own queue, and
    neither would learn of it otherwise.
    """
    threading.Thread(target=_end_after_parent_process, daemon=True).start()


def _end_after_parent_process() -> None:
    parent = multiprocessing.parent_process()
    if parent is not None:
        parent.join()
        os._exit(0)
