"""How every kernel is compiled."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

import numba

F = TypeVar("F", bound=Callable[..., object])


def kernel(function: F) -> F:
    """Compile a loop: no GIL, cached on disk, C rules for division, fast float maths.

    Fast maths lets the compiler drop tests for NaN and infinity, so finiteness is
    checked where sound enters, never inside a kernel.
    """
    compiled: F = numba.njit(
        nogil=True, cache=True, error_model="numpy", fastmath=True, boundscheck=False
    )(function)
    return compiled
