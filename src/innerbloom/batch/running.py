"""Running a batch: tasks are handed out as workers are free, and what comes of them is given as it comes."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, BrokenExecutor, Future, wait
from dataclasses import dataclass, field

from innerbloom.batch.pools import Pool
from innerbloom.batch.task import BatchError, Blob, Outcome, Task
from innerbloom.core.errors import Cancelled
from innerbloom.store.files import FileStore

_MOST_TRIES = 3
_LOOK_EVERY_S = 0.2


@dataclass
class Cost:
    """What one worker has done."""

    tasks: int = 0
    seconds: float = 0.0


@dataclass
class Costs:
    """What a batch took, by worker; ``again`` counts tasks that were done anew after a worker was lost."""

    workers: dict[str, Cost] = field(default_factory=dict)
    again: int = 0

    def add(self, outcome: Outcome) -> None:
        one = self.workers.setdefault(outcome.where, Cost())
        one.tasks += 1
        one.seconds += outcome.seconds

    @property
    def seconds(self) -> float:
        """Of work, on all of them together."""
        return sum(one.seconds for one in self.workers.values())

    def words(self) -> str:
        """By machine: how many tasks, in how many seconds of work."""
        machines: dict[str, list[Cost]] = {}
        for worker, cost in self.workers.items():
            machines.setdefault(worker.rsplit(":", 1)[0], []).append(cost)
        parts = [
            f"{sum(c.tasks for c in some)} on {name} ({len(some)} "
            f"{'process' if len(some) == 1 else 'processes'}, {sum(c.seconds for c in some):.1f} s)"
            for name, some in machines.items()
        ]
        said = ", ".join(parts)
        return f"{said}; {self.again} done again" if self.again else said


class Batch:
    """Tasks being done; iterate over it for ``(index, Outcome)`` in the order in which they come.

    Parameters
    ----------
    report : callable
        Is told the share done, 0..1, several times a second; gives False to stop.

    Raises
    ------
    BatchError
        If no task can be done: no workers, or of another version.
    Cancelled
        If it was told to stop.
    """

    def __init__(
        self,
        tasks: Sequence[Task],
        store: FileStore,
        pool: Pool,
        report: Callable[[float], bool] = lambda share: True,
    ) -> None:
        self._tasks, self._store, self._pool, self._report = tasks, store, pool, report
        self._waiting = deque(range(len(tasks)))
        self._running: dict[Future[Outcome], int] = {}
        self._tries = [0] * len(tasks)
        self._missing: dict[int, tuple[str, ...]] = {}
        self.done = 0
        self.costs = Costs()

    def __iter__(self) -> Iterator[tuple[int, Outcome]]:
        try:
            while self.done < len(self._tasks):
                if not self._report(self._share()):
                    raise Cancelled("Stopped.")
                self._pool.check()
                self._hand_out()
                for index, outcome in self._collect():
                    self.done += 1
                    self.costs.add(outcome)
                    yield index, outcome
        finally:
            for future in self._running:
                future.cancel()

    def in_order(self) -> Iterator[Outcome]:
        """What comes of all tasks, in their order; what comes too early waits."""
        early: dict[int, Outcome] = {}
        wanted = 0
        for index, outcome in self:
            early[index] = outcome
            while wanted in early:
                yield early.pop(wanted)
                wanted += 1

    def _share(self) -> float:
        begun = sum(self._pool.share(future) for future in self._running)
        return (self.done + begun) / len(self._tasks)

    def _hand_out(self) -> None:
        room = self._pool.room() - len(self._running)
        for _ in range(min(room, len(self._waiting))):
            index = self._waiting.popleft()
            try:
                blobs = tuple(Blob.of(self._store, one) for one in self._missing.pop(index, ()))
                future = self._pool.submit(self._tasks[index], blobs)
            except BrokenExecutor:
                self._waiting.appendleft(index)
                self._pool.renew()
                return
            self._running[future] = index

    def _collect(self) -> Iterator[tuple[int, Outcome]]:
        ended, _ = wait(self._running, timeout=_LOOK_EVERY_S, return_when=FIRST_COMPLETED)
        broken = False
        for future in ended:
            index = self._running.pop(future)
            try:
                outcome = future.result()
            except self._pool.lost:
                broken = True
                found = self._again(index)
                if found is not None:
                    yield index, found
                continue
            if outcome.refused:
                raise BatchError(outcome.error)
            if outcome.missing:
                self._missing[index] = outcome.missing
                self._waiting.appendleft(index)
            else:
                yield index, outcome
        if broken and self._pool.renew():
            # they broke together, some a moment later: none of them comes back
            self._waiting.extendleft(self._running.values())
            self._running.clear()

    def _again(self, index: int) -> Outcome | None:
        """Put a task whose worker was lost back; what is said where that happens again and again."""
        self._tries[index] += 1
        if self._tries[index] < _MOST_TRIES:
            self.costs.again += 1
            self._waiting.append(index)
            return None
        return Outcome(
            error=f"The worker ended {_MOST_TRIES} times over this: is there memory enough?"
        )
