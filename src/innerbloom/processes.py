"""Processes for background work: low priority, and gone with the process that started them."""

from __future__ import annotations

import multiprocessing
import os
import threading
import time
from concurrent.futures import Executor, ProcessPoolExecutor

_LOOK_EVERY_S = 1.0
_LOW_PRIORITY = 15


def background_executor() -> Executor:
    """One low-priority worker process: live sound keeps the other core."""
    return ProcessPoolExecutor(
        1,
        mp_context=multiprocessing.get_context("spawn"),
        initializer=_begin,
        initargs=(os.getpid(),),
    )


def _begin(parent: int) -> None:
    os.setpriority(os.PRIO_PROCESS, 0, _LOW_PRIORITY)
    threading.Thread(target=_end_with, args=(parent,), daemon=True).start()


def _end_with(parent: int) -> None:
    # a pool's worker holds both ends of its own queue, so it would wait for a dead parent for ever
    while os.getppid() == parent:
        time.sleep(_LOOK_EVERY_S)
    os._exit(0)
