"""How every kernel is compiled."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

import numba

F = TypeVar("F", bound=Callable[..., object])
_AS_C: dict[str, bool | str] = {
    "nogil": True,
    "cache": True,
    "error_model": "numpy",
    "fastmath": True,
    "boundscheck": False,
}


def kernel(function: F) -> F:
    """Compile a loop: no GIL, cached on disk, C rules for division, fast float maths.

    Fast maths lets the compiler drop tests for NaN and infinity, so finiteness is
    checked where sound enters, never inside a kernel.
    """
    compiled: F = numba.njit(**_AS_C)(function)
    return compiled


def borrowing(function: F) -> F:
    """The same for loops that allocate nothing and only borrow the arrays they are given.

    Otherwise every view of an array counts its references, with a locked instruction each
    time, which cost the grains a fifth of their time. Scratch has to be passed in, and
    whoever calls keeps the arrays.
    """
    compiled: F = numba.njit(_nrt=False, **_AS_C)(function)
    return compiled
