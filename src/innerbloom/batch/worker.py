"""What a process of ``bloom worker`` does first; Dask calls it by its name (``--preload``)."""

from __future__ import annotations

import os
from typing import Any

from innerbloom.processes import THREAD_COUNTS


def dask_setup(worker: Any) -> None:
    """Take a low priority and load the kernels, so that the first task is as fast as the rest."""
    os.environ.update(dict.fromkeys(THREAD_COUNTS, "1"))
    os.setpriority(os.PRIO_PROCESS, 0, 15)
    from innerbloom.core.engine.warm import load

    load()
