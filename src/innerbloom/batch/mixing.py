"""Mixing a timeline as a batch: a stretch of all its lanes a task."""

from __future__ import annotations

from collections.abc import Iterator

from innerbloom.batch.pools import Pool
from innerbloom.batch.running import Batch
from innerbloom.batch.task import has
from innerbloom.batch.tasks import mix_task
from innerbloom.core.declare.sound import recordings_in
from innerbloom.core.errors import BloomError
from innerbloom.core.timeline.measure import CHUNK, Piece, Report
from innerbloom.core.timeline.mix import TimelineMix
from innerbloom.store.files import FileStore

REAL_TIME = 60.0
"""About how many seconds of a lane are mixed in one of work."""

_PIECES_A_TASK = 8
"""Eleven seconds: long beside what opening its sounds takes, 4 MB of sound a lane."""


class Mixing:
    """Gives the pieces of a mix as :func:`.pieces_of` does, from several processes.

    Raises
    ------
    BloomError
        With what went wrong first.
    """

    def __init__(self, mix: TimelineMix, store: FileStore, pool: Pool) -> None:
        plain = mix.timeline.model_dump(mode="json")
        firsts = range(0, mix.frames, CHUNK)
        there = tuple(one for one in recordings_in(plain) if has(store, one))
        self._tasks = [
            mix_task(plain, tuple(firsts[at : at + _PIECES_A_TASK]), there)
            for at in range(0, len(firsts), _PIECES_A_TASK)
        ]
        self._store, self._pool = store, pool

    def __call__(self, report: Report) -> Iterator[Piece]:
        for outcome in Batch(self._tasks, self._store, self._pool, report).in_order():
            if outcome.error:
                raise BloomError(outcome.error)
            yield from outcome.value


def work_s(mix: TimelineMix) -> float:
    """About how long a mix takes one process, in seconds."""
    lanes = sum(1 for lane in mix.timeline.lanes if lane.clips and not lane.muted)
    return mix.timeline.seconds * lanes / REAL_TIME
