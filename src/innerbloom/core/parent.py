"""Processes that end with the one that has started them, however that ends."""

from __future__ import annotations

import multiprocessing
import os
import threading

_LOOK_EVERY_S = 1.0


def end_with_parent_process() -> None:
    """From now on end as soon as the process that has asked for this one ends.

    An engine that compiles reads nothing, a pool's worker holds both ends of its own queue, and
    neither would learn of it otherwise. The same goes for the process that this one is forked from,
    where that is another: whoever has asked takes it for ended then, and no longer ends it.
    """
    threading.Thread(target=_end_after_parent_process, args=(os.getppid(),), daemon=True).start()


def _end_after_parent_process(source: int) -> None:
    parent = multiprocessing.parent_process()
    if parent is not None:
        while parent.is_alive() and os.getppid() == source:
            parent.join(_LOOK_EVERY_S)
        os._exit(0)
