"""What jobs and the sound engine may need, loaded once, in the process from which they are forked."""

from __future__ import annotations

import logging
import signal

from innerbloom.loading import loading
from innerbloom.processes import name_process

# Ctrl+C in a terminal is for the server, which ends this; from the first import on
signal.signal(signal.SIGINT, signal.SIG_IGN)
name_process("bloom-preloaded")
with loading():
    from innerbloom.core.compiling import is_warm
    from innerbloom.core.engine.warm import load
    from innerbloom.jobs import service  # noqa: F401
    from innerbloom.live import server  # noqa: F401

if is_warm():
    try:
        load()
    except Exception:
        # each process loads what it needs by itself then, and tells whoever asks for it
        logging.getLogger(__name__).exception("kernels could not be loaded ahead")
