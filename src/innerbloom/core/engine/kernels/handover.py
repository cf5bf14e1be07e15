"""Two threads that wait for each other outside Python, spinning before they sleep.

A thread that wakes inside Python first asks for its lock (the GIL), which the other one holds, and
goes to sleep again; each time costs what a small kernel does.
"""

from __future__ import annotations

from llvmlite import ir
from numba import types
from numba.extending import intrinsic

from innerbloom.core.compiling import borrowing

GIVEN, DONE, SLEEPS = 0, 8, 16
"""What two threads count, an int64 each in a line of the cache of its own: how much was given to
the worker, how much of it is done, and whether the worker sleeps, or is about to."""

_BYTE = 24
"""Where what wakes the worker is read to."""

COUNTERS = 32

_LOOKS = 200_000
"""How often a thread looks for the other before it sleeps: some 0.3 ms."""

_GRACE = 8_000
"""Looks for nothing before what was given is taken: some 10 us, in which whoever gave it gets from
Python to its own kernel, and lets go of the lock."""

_read = types.ExternalFunction("read", types.intp(types.intc, types.voidptr, types.uintp))
"""POSIX: takes what lies in a pipe, or sleeps until something does."""


def _pointer(context, builder, kind, array, index):
    made = context.make_array(kind)(context, builder, array)
    return builder.gep(made.data, [index])


@intrinsic
def _load(_typing, counters, index):
    """A counter as another thread has left it, read anew each time."""

    def code(context, builder, signature, arguments):
        pointer = _pointer(context, builder, signature.args[0], *arguments)
        return builder.load_atomic(pointer, "seq_cst", 8)

    return types.int64(counters, types.intp), code


@intrinsic
def _store(_typing, counters, index, number):
    """Set a counter; another thread that sees it sees all that was written before."""

    def code(context, builder, signature, arguments):
        pointer = _pointer(context, builder, signature.args[0], *arguments[:2])
        builder.store_atomic(arguments[2], pointer, "seq_cst", 8)
        return context.get_dummy_value()

    return types.void(counters, types.intp, types.int64), code


@intrinsic
def _address(_typing, counters, index):
    """Where a counter lies, for C."""

    def code(context, builder, signature, arguments):
        pointer = _pointer(context, builder, signature.args[0], *arguments)
        return builder.bitcast(pointer, ir.PointerType(ir.IntType(8)))

    return types.voidptr(counters, types.intp), code


@borrowing
def _spin(counters, index, wanted, looks):
    """Look at a counter until it has come as far as is wanted; whether it has."""
    for _ in range(looks):  # noqa: SIM110
        if _load(counters, index) >= wanted:
            return True
    return False


@borrowing
def give(counters, number):
    """Tell the worker that there is work; whether it has to be woken for it.

    Parameters
    ----------
    counters : int64 array, shape (COUNTERS,)
    number : int
        Which work it is, counted from 1.
    """
    _store(counters, GIVEN, number)
    return _load(counters, SLEEPS) != 0


@borrowing
def spin_until_done(counters, number):
    """Wait for some work for a while, without sleeping; whether it is done."""
    return _spin(counters, DONE, number, _LOOKS)


@borrowing
def take(counters, number, pipe):
    """The worker has done all work before a number: say so, and wait for that one.

    Parameters
    ----------
    counters : int64 array, shape (COUNTERS,)
    number : int
    pipe : int
        File descriptor of a pipe; a byte that is written to it wakes the worker, which then spins
        anew.

    Returns
    -------
    bool
        Whether there is work; False when the pipe was closed.
    """
    _store(counters, DONE, number - 1)
    while not _spin(counters, GIVEN, number, _LOOKS):
        _store(counters, SLEEPS, 1)
        # what was given between the last look and now wakes nobody
        given = _load(counters, GIVEN) >= number
        # a signal wakes it too, with -1
        if not given and _read(pipe, _address(counters, _BYTE), 1) == 0:
            return False
        _store(counters, SLEEPS, 0)
    _spin(counters, GIVEN, number + 1, _GRACE)
    return True
