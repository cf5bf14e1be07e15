"""Processes for background work: they step aside for live sound, and go with their parent."""

from __future__ import annotations

import multiprocessing
import os
import signal
import threading
from collections.abc import Callable, Iterator
from concurrent.futures import Executor, Future, ProcessPoolExecutor
from contextlib import contextmanager, suppress
from multiprocessing import forkserver
from multiprocessing.context import ForkServerContext
from multiprocessing.process import BaseProcess
from pathlib import Path
from typing import Any, Literal, TypeVar

from innerbloom.core.parent import end_with_parent_process

T = TypeVar("T")
Start = Literal["forkserver", "fork", "spawn"]

_PRELOADED = "innerbloom.preloaded"
_LOW_PRIORITY = 15
_REALTIME_PRIORITY = 5
"""Above all ordinary work, below sound servers and drivers, which take 50 and more."""

THREAD_COUNTS = ("OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS", "MKL_NUM_THREADS", "NUMBA_NUM_THREADS")

_ENVIRONMENT = threading.RLock()


def background_executor(*, idle: bool = False, start: Start = "forkserver") -> Executor:
    """One low-priority worker process of one thread: live sound keeps the other core.

    Parameters
    ----------
    idle : bool
        Whether the process runs only while nothing else wants its core (``SCHED_IDLE``, where
        the system has it): for what nobody waits for.
    start : {"forkserver", "fork", "spawn"}
        How :mod:`multiprocessing` starts it: from a process that has loaded what it needs, see
        :func:`preload_in_the_background`; from this one, which may have no other threads then; or
        as a new one that loads by itself. What comes from the first would start another like it.
    """
    context = _forking() if start == "forkserver" else multiprocessing.get_context(start)
    return _SingleThreaded(
        1, mp_context=context, initializer=_begin_beside_a_server, initargs=(idle,)
    )


def preload_in_the_background() -> None:
    """Start the process that others are forked from, ahead of the first of them.

    They are there at once then, and share its memory. Until it has loaded
    :mod:`innerbloom.preloaded`, whoever starts a process waits for it.
    """
    _forking()
    with single_threaded_children():
        forkserver.ensure_running()


def start_forked(target: Callable[..., object], *arguments: Any) -> BaseProcess:
    """Call a function in a process of its own, forked from one that has loaded what it needs."""
    process = _forking().Process(target=target, args=arguments)
    with single_threaded_children():
        process.start()
    return process


def end_children() -> None:
    """End every process that this one has started, whatever it is at.

    Python waits for the work of pools when it ends, and that may take minutes.
    """
    for process in multiprocessing.active_children():
        process.terminate()


def _forking() -> ForkServerContext:
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload([_PRELOADED])
    return context


def name_process(name: str) -> None:
    """What monitors of processes call this one, in at most 15 bytes, where the system has that.

    Forked ones all bear the command line of the one that they come from.
    """
    with suppress(OSError):
        Path("/proc/self/comm").write_text(name)


def _begin_beside_a_server(idle: bool) -> None:
    name_process("bloom-worker")
    # Ctrl+C in a terminal is for the server, which ends it
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    begin_background(idle)


def cores() -> int:
    """Cores that this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


@contextmanager
def single_threaded_children() -> Iterator[None]:
    """Processes that are started meanwhile use one thread each in numerical libraries.

    These read how many when they are loaded, which may be before a process is told anything: a
    spawned one runs the imports of its parent's script first. Several threads of several processes
    on the same cores wait for each other many times as long as they work.
    """
    # processes are started from several threads, and each puts back what it found
    with _ENVIRONMENT:
        before = {name: os.environ.get(name) for name in THREAD_COUNTS}
        os.environ.update(dict.fromkeys(THREAD_COUNTS, "1"))
        try:
            yield
        finally:
            for name, value in before.items():
                if value is None:
                    os.environ.pop(name, None)
                else:
                    os.environ[name] = value


class _SingleThreaded(ProcessPoolExecutor):
    """A pool whose processes use one thread each from their first import on."""

    def submit(self, fn: Callable[..., T], /, *args: Any, **kwargs: Any) -> Future[T]:
        # what is submitted starts the processes
        with single_threaded_children():
            return super().submit(fn, *args, **kwargs)


def begin_background(idle: bool) -> None:
    """What a process for background work does first: one thread, low priority, gone with its parent."""
    # before any library reads them: it would start threads that compete with the sound
    os.environ.update(dict.fromkeys(THREAD_COUNTS, "1"))
    lower_priority()
    if idle:
        become_idle()
    end_with_parent_process()


def lower_priority() -> None:
    """Let the page and live sound go first, from now on."""
    os.setpriority(os.PRIO_PROCESS, 0, _LOW_PRIORITY)


def become_idle() -> None:
    """Run from now on only while nothing else wants this core, where the system has that.

    A nice process still finishes its slice when the sound wakes up, an idle one does not. There may
    be no way back, so this is for when something sounds, not for every start.
    """
    if hasattr(os, "SCHED_IDLE"):
        os.sched_setscheduler(0, os.SCHED_IDLE, os.sched_param(0))


def become_realtime() -> bool:
    """Let this thread's sound go before all else (``SCHED_RR``), where the system allows it.

    Linux allows it to the superuser and to whoever has a limit ``rtprio``, as people who work with
    sound often have. Threads and processes started from here do not inherit it. See sched(7).

    Returns
    -------
    bool
        Whether it was allowed.
    """
    if not hasattr(os, "SCHED_RR"):
        return False
    try:
        policy = os.SCHED_RR | os.SCHED_RESET_ON_FORK
        os.sched_setscheduler(0, policy, os.sched_param(_REALTIME_PRIORITY))
    except OSError:
        return False
    return True
