"""How the engine's process takes memory."""

from __future__ import annotations

import ctypes

_M_MMAP_THRESHOLD, _M_ARENA_MAX = -3, -8
"""As malloc.h of the GNU C library has them."""


def limit_allocation() -> None:
    """Keep memory from being torn into pieces by hours of playing, where the C library can; see mallopt(3).

    With an arena for each thread, an hour of playing and editing came to 417 MB; with one, and
    large blocks kept apart from small ones (the limit rises by itself unless it is set), to 323,
    2 MB more than after ten minutes (bench/soak.py).
    """
    mallopt = getattr(ctypes.CDLL(None), "mallopt", None)
    if mallopt is not None:
        mallopt(_M_ARENA_MAX, 1)
        mallopt(_M_MMAP_THRESHOLD, 1 << 17)
