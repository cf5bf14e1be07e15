"""A second thread, woken before there is work for it."""

from __future__ import annotations

import os
import weakref
from collections.abc import Callable
from queue import SimpleQueue
from threading import Thread
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.engine.kernels.handover import COUNTERS, SLEEPS, give, spin_until_done, take

_Work = Callable[[], object]


class _Shared(NamedTuple):
    """What both threads hold; ``counters`` as in :mod:`.kernels.handover`."""

    work: SimpleQueue[_Work]
    outcomes: SimpleQueue[BaseException | None]
    counters: NDArray[np.int64]


class Worker:
    """A thread that does a part of the work of whoever calls, at the same time.

    Waking a thread that sleeps, and sleeping until it is done, take a tenth of a block's time. So
    it is woken while there is still other work, and both spin for a little while before they sleep
    (Karlin, Li, Manasse & Owicki 1991, for locks).

    Parameters
    ----------
    name : str
        Of the thread.

    Examples
    --------
    >>> worker = Worker("voices")
    >>> worker.wake()
    >>> prepare()
    >>> worker.both(half, other_half)
    """

    def __init__(self, name: str) -> None:
        self._shared = _Shared(SimpleQueue(), SimpleQueue(), np.zeros(COUNTERS, np.int64))
        self._given = 0
        pipe, self._wakes = os.pipe()
        # the thread does not hold this, whose end closes the pipe and thereby ends it
        Thread(target=_work, args=(self._shared, pipe), name=name, daemon=True).start()
        weakref.finalize(self, os.close, self._wakes)

    def wake(self) -> None:
        """There will be work soon; if there is none after all, it sleeps again."""
        if self._shared.counters[SLEEPS]:
            os.write(self._wakes, b"\0")

    def both(self, here: _Work, there: _Work) -> None:
        """Do one thing here and another on the worker, and wait for both.

        Raises
        ------
        BaseException
            What either raises.
        """
        self._given += 1
        self._shared.work.put(there)
        if give(self._shared.counters, self._given):
            os.write(self._wakes, b"\0")
        try:
            here()
        finally:
            spin_until_done(self._shared.counters, self._given)
            raised = self._shared.outcomes.get()
        if raised is not None:
            raise raised


def _work(shared: _Shared, pipe: int) -> None:
    """What the thread does until the other end of its pipe is closed."""
    number = 1
    while take(shared.counters, number, pipe):
        shared.outcomes.put(_raised_by(shared.work.get()))
        number += 1
    os.close(pipe)


def _raised_by(work: _Work) -> BaseException | None:
    try:
        work()
    except BaseException as error:
        return error
    return None
