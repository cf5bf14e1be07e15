"""Work in the background takes only the share of its time that live sound leaves it."""

from __future__ import annotations

import signal
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from types import FrameType

from innerbloom.processes import become_idle
from innerbloom.store.sounding import Sounding

_SLICE_S = 0.01
"""Processor time after which work looks whether it should rest."""


@contextmanager
def throttled(sounding: Sounding) -> Iterator[None]:
    """Rest again and again while something sounds, in proportion to what was worked.

    A timer of processor time (``setitimer``, ``ITIMER_PROF``) interrupts the work, so that whatever
    is done meanwhile rests without knowing of it: a core that is really idle takes up a sound's
    thread at once, one that is busy with work of the lowest priority only when the system balances
    its load next. One call of compiled code is never interrupted.

    Only in a process's main thread and where the system has such timers; elsewhere, and inside
    another ``throttled``, nothing is added.

    Parameters
    ----------
    sounding : Sounding
        Says what share of its time work may take now.
    """
    if not _has_timer() or signal.getitimer(signal.ITIMER_PROF)[1] > 0.0:
        yield
        return
    before = signal.signal(signal.SIGPROF, _Rest(sounding).take)
    # calls of the system that were waiting go on by themselves
    signal.siginterrupt(signal.SIGPROF, False)
    signal.setitimer(signal.ITIMER_PROF, _SLICE_S, _SLICE_S)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_PROF, 0.0)
        signal.signal(signal.SIGPROF, before)


def _has_timer() -> bool:
    in_main = threading.current_thread() is threading.main_thread()
    return in_main and hasattr(signal, "ITIMER_PROF")


class _Rest:
    """What the timer calls."""

    def __init__(self, sounding: Sounding) -> None:
        self._sounding = sounding
        self._worked_from = time.process_time()
        self._stepped_aside = False
        self._step_aside()

    def take(self, signum: int, frame: FrameType | None) -> None:
        """Rest as long as live sound asks for after so much work."""
        self._step_aside()
        time.sleep(self._sounding.pause_s(time.process_time() - self._worked_from))
        self._worked_from = time.process_time()

    def _step_aside(self) -> None:
        if not self._stepped_aside and self._sounding.share() < 1.0:
            self._stepped_aside = True
            become_idle()
