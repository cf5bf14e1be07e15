"""Who does tasks: processes of this machine, or workers of a Dask cluster; both are futures to whoever asks."""

from __future__ import annotations

import itertools
import math
import multiprocessing
import uuid
from collections.abc import Iterator
from concurrent.futures import BrokenExecutor, Executor, Future, ProcessPoolExecutor
from contextlib import contextmanager
from pathlib import Path
from typing import Protocol

from innerbloom.batch.task import Blob, Outcome, Task, code_version, perform
from innerbloom.jobs.report import Report
from innerbloom.processes import begin_background, cores, single_threaded_children
from innerbloom.store.files import FileStore
from innerbloom.throttle import throttled

AHEAD = 2
"""Tasks handed out for each worker, so that none waits for us."""

WORTH_IT_S = 12.0
"""Work from which several processes are started: that takes each of them some seconds."""

REAL_TIME = 12.0
"""About how many seconds of an instrument's sound are made in one of work."""


class Pool(Protocol):
    """Workers that tasks are given to.

    Attributes
    ----------
    lost : tuple of exception types
        What a future raises whose worker ended unexpectedly.
    """

    @property
    def lost(self) -> tuple[type[BaseException], ...]: ...

    def width(self) -> int:
        """How many tasks are done at once, now; 0 where nobody is there."""

    def room(self) -> int:
        """How many tasks may be handed out, those that are being done among them."""

    def submit(self, task: Task, blobs: tuple[Blob, ...]) -> Future[Outcome]: ...

    def share(self, future: Future[Outcome]) -> float:
        """How much of a task is done, 0..1, where that is known; else 0."""

    def renew(self) -> bool:
        """Start anew after a worker ended unexpectedly; gives whether all that was handed out is lost with it."""

    def check(self) -> None:
        """Raise a BatchError where nothing can come any more."""


class ProcessPool:
    """Low-priority processes of this machine, which step aside for live sound.

    Parameters
    ----------
    root : Path
        The folder in which recordings lie.
    job : str
        Id of the job whose cancel they heed; empty for none.
    """

    lost = (BrokenExecutor,)

    def __init__(self, root: Path, count: int, job: str = "") -> None:
        self._root, self._count, self._job = root, max(1, count), job
        self._store = FileStore(root)
        # tasks tell how far they are beside their job, or beside nobody's
        self._name, self._number = job or uuid.uuid4().hex, itertools.count()
        self._reports: dict[Future[Outcome], Report] = {}
        self._executor = self._new()

    def _new(self) -> Executor:
        return ProcessPoolExecutor(
            self._count,
            mp_context=multiprocessing.get_context("spawn"),
            initializer=begin_background,
            initargs=(False,),
        )

    def width(self) -> int:
        return self._count

    def room(self) -> int:
        # live sound keeps a core to itself: even an idle process takes memory and caches from it
        if self._store.sounding.share() < 1.0:
            return max(1, self._count - 1)
        return AHEAD * self._count

    def submit(self, task: Task, blobs: tuple[Blob, ...]) -> Future[Outcome]:
        telling = f"{self._name}.{next(self._number)}"
        # the first task starts the processes
        with single_threaded_children():
            future = self._executor.submit(
                _perform_here, task, code_version(), str(self._root), self._job, telling
            )
        self._reports[future] = Report(self._store.jobs, telling)
        future.add_done_callback(lambda done: self._reports.pop(done).forget())
        return future

    def share(self, future: Future[Outcome]) -> float:
        report = self._reports.get(future)
        return 0.0 if report is None else report.read()

    def renew(self) -> bool:
        self._executor.shutdown(wait=False, cancel_futures=True)
        self._executor = self._new()
        return True

    def check(self) -> None:
        pass

    def close(self) -> None:
        self._executor.shutdown(wait=True, cancel_futures=True)


class InPlace:
    """This very process, one task after the other: for what is sooner done than processes are started."""

    lost: tuple[type[BaseException], ...] = ()

    def __init__(self, root: Path, job: str = "") -> None:
        self._root, self._job = root, job

    def width(self) -> int:
        return 1

    def room(self) -> int:
        return 1

    def submit(self, task: Task, blobs: tuple[Blob, ...]) -> Future[Outcome]:
        done: Future[Outcome] = Future()
        done.set_result(_perform_here(task, code_version(), str(self._root), self._job))
        return done

    def share(self, future: Future[Outcome]) -> float:
        return 0.0

    def renew(self) -> bool:
        return False

    def check(self) -> None:
        pass


def _perform_here(task: Task, version: str, root: str, job: str, telling: str = "") -> Outcome:
    """Do a task in this process; it heeds its job's cancel and tells how far it is as ``telling``."""
    store = FileStore(Path(root))
    asked, told = Report(store.jobs, job), Report(store.jobs, telling)

    def going(share: float) -> bool:
        if telling:
            told(share)
        return asked.going()

    with throttled(store.sounding):
        return perform(task, version, root, (), going)


@contextmanager
def pool_for(
    store: FileStore,
    tasks: int,
    *,
    work_s: float = math.inf,
    count: int | None = None,
    scheduler: str = "",
    job: str = "",
) -> Iterator[Pool]:
    """The workers of a batch: a cluster where its scheduler's address is given, else processes.

    Parameters
    ----------
    work_s : float
        About how long all tasks take one process, in seconds; little is done in this very process.
    count : int, optional
        Processes; as many as there are cores if left out, and never more than there are tasks.

    Raises
    ------
    BatchError
        If the scheduler is away, or its workers are of another version.
    """
    if scheduler:
        # loaded only where it is asked for: it is large
        from innerbloom.batch.cluster import cluster

        with cluster(scheduler) as pool:
            yield pool
        return
    count = min(count or (cores() if work_s > WORTH_IT_S else 1), tasks)
    if count <= 1:
        yield InPlace(store.root, job)
        return
    here = ProcessPool(store.root, count, job)
    try:
        yield here
    finally:
        here.close()
