"""Several processes for jobs, each of which may end unexpectedly without taking others' work with it."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import BrokenExecutor, CancelledError, Executor, Future
from contextlib import contextmanager
from typing import Any, TypeVar

T = TypeVar("T")
Begin = Callable[[Executor], "Future[Any]"]
_Work = tuple[Future[Any], Begin]


class SeparateWorkers(Executor):
    """An executor of several, each of one process, that are given work as they become free.

    A pool of processes breaks as a whole when one of them ends: what others were doing is lost, and
    nobody knows over what it ended. Here only that one's work raises a ``BrokenExecutor``.

    Parameters
    ----------
    make : callable
        Gives an executor of one process; one is made when there is work for it, and those beyond
        the first are shut down when nothing is left to do.
    room : callable
        Says how many may work at once now, at least one; asked whenever one becomes free.
    """

    def __init__(self, make: Callable[[], Executor], room: Callable[[], int]) -> None:
        self._make, self._room = make, room
        self._free: list[Executor] = []
        self._busy = 0
        self._waiting: deque[_Work] = deque()
        self._lock = threading.RLock()
        self._closed = False

    def submit(self, fn: Callable[..., T], /, *args: Any, **kwargs: Any) -> Future[T]:
        outer: Future[T] = Future()
        with self._lock:
            if self._closed:
                raise RuntimeError("cannot schedule new futures after shutdown")
            self._waiting.append((outer, lambda one: one.submit(fn, *args, **kwargs)))
        self._hand_out()
        return outer

    def _hand_out(self) -> None:
        """Give what waits to whoever is free."""
        while True:
            with self._lock:
                if self._closed or not self._waiting or self._busy >= max(1, self._room()):
                    return
                outer, begin = self._waiting.popleft()
                if not outer.set_running_or_notify_cancel():
                    continue
                worker = self._free.pop() if self._free else None
                self._busy += 1
            if worker is not None:
                self._begin(worker, outer, begin)
            else:
                # a process takes a while to be there, and whoever submits does not wait for it
                anew = threading.Thread(target=self._begin_anew, args=(outer, begin), daemon=True)
                with _unless_python_ends():
                    anew.start()

    def _begin_anew(self, outer: Future[Any], begin: Begin) -> None:
        try:
            worker = self._make()
        except OSError as error:
            with self._lock:
                self._busy -= 1
            outer.set_exception(BrokenExecutor(str(error)))
            self._hand_out()
            return
        if self._closed:
            worker.shutdown(wait=False)
            outer.set_exception(CancelledError())
        else:
            self._begin(worker, outer, begin)

    def _begin(self, worker: Executor, outer: Future[Any], begin: Begin) -> None:
        with _unless_python_ends():
            inner = _begun(worker, begin)
            inner.add_done_callback(lambda done: self._end(worker, outer, done))

    def _end(self, worker: Executor, outer: Future[Any], inner: Future[Any]) -> None:
        error = CancelledError() if inner.cancelled() else inner.exception()
        with self._lock:
            self._busy -= 1
            if isinstance(error, BrokenExecutor) or self._closed:
                worker.shutdown(wait=False)
            else:
                self._free.append(worker)
            spare = [] if self._waiting or self._busy else self._free[1:]
            self._free = [one for one in self._free if one not in spare]
        for one in spare:
            one.shutdown(wait=False)
        if error is None:
            outer.set_result(inner.result())
        else:
            outer.set_exception(error)
        self._hand_out()

    def shutdown(self, wait: bool = True, *, cancel_futures: bool = False) -> None:
        with self._lock:
            self._closed = True
            waiting, self._waiting = self._waiting, deque()
            free, self._free = self._free, []
        for outer, _ in waiting:
            outer.cancel()
        for one in free:
            one.shutdown(wait=wait, cancel_futures=cancel_futures)


def _begun(worker: Executor, begin: Begin) -> Future[Any]:
    try:
        return begin(worker)
    except (BrokenExecutor, OSError, EOFError) as error:
        # the others say that no process came to be: there is no memory for one, say
        failed: Future[Any] = Future()
        failed.set_exception(BrokenExecutor(str(error)))
        return failed


@contextmanager
def _unless_python_ends() -> Iterator[None]:
    """Whoever ends this process may end its workers with it: then nothing begins, and nothing is said."""
    try:
        yield
    except RuntimeError as error:
        # nothing else that is public tells of it this early
        if "interpreter shutdown" not in str(error):
            raise
