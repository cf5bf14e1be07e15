"""How every kernel is compiled."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, TypeVar

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


def inlined(function: F) -> F:
    """The same for what is part of its caller: bundles of many arrays cost something to hand on."""
    compiled: F = numba.njit(_nrt=False, forceinline=True, **_AS_C)(function)
    return compiled


def switch(kernels: Sequence[Callable[..., object]], arguments: str) -> Callable[..., None]:
    """One kernel that calls another of several, all of one shape, by its number.

    A chain of comparisons that the compiler sees through, made for whatever is registered: calls
    through pointers could not be inlined, nor kept on disk.

    Parameters
    ----------
    kernels : sequence of kernels
    arguments : str
        Names of their arguments, with commas.

    Examples
    --------
    >>> step = switch((saw, square), "state, out")
    >>> step(1, state, out)                         # square(state, out)
    """
    names = {f"kernel_{number}": one for number, one in enumerate(kernels)}
    lines = [f"def chosen(which, {arguments}):"]
    for number, name in enumerate(names):
        lines += [f"    {'if' if number == 0 else 'elif'} which == {number}:"]
        lines += [f"        {name}({arguments})"]
    made: dict[str, Any] = dict(names)
    exec("\n".join(lines), made)
    compiled: Callable[..., None] = numba.njit(_nrt=False, **{**_AS_C, "cache": False})(made["chosen"])
    return compiled
