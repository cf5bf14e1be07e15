"""What a process of ``bloom worker`` does first; Dask calls it by its name (``--preload``)."""

from __future__ import annotations

import os
from typing import Any

from innerbloom.processes import THREAD_COUNTS

NICE = "BLOOM_WORKER_NICE"
"""Says how far a worker's processes step aside for all else, 0..19."""


def dask_setup(worker: Any) -> None:
    """Load the kernels, so that the first task is as fast as the rest, and take a low priority."""
    os.environ.update(dict.fromkeys(THREAD_COUNTS, "1"))
    from innerbloom.core.engine.warm import load

    load()
    os.setpriority(os.PRIO_PROCESS, 0, int(os.environ.get(NICE, "15")))
