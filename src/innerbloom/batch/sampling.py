"""Sampling an instrument as a batch: one task a note."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from innerbloom.batch.pools import REAL_TIME, Pool, pool_for
from innerbloom.batch.running import Batch
from innerbloom.batch.tasks import sample_task
from innerbloom.core.declare.parameters import Settings
from innerbloom.core.declare.sound import recordings_in
from innerbloom.core.deliver.samples.sampled import SampledSet
from innerbloom.core.deliver.samples.sampling import Sample
from innerbloom.core.deliver.samples.zones import Zone, plan, velocity_curve
from innerbloom.core.engine import compile_program
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.document import Instrument
from innerbloom.store.files import FileStore
from innerbloom.store.prepared import DiskMaterials
from innerbloom.store.sample_folders import SampleFolders


class Sampling:
    """Notes of an instrument being sampled; iterate for a :class:`.Sample` each, in the order of their zones.

    What is silent is None and named in ``problems``.
    """

    def __init__(
        self,
        document: Instrument,
        settings: Settings,
        zones: list[Zone],
        store: FileStore,
        pool: Pool,
        report: Callable[[float], bool],
    ) -> None:
        plain = document.model_dump(mode="json")
        asked = settings.model_dump(mode="json")
        tasks = [sample_task(plain, asked, zone) for zone in zones]
        self._batch = Batch(tasks, store, pool, report)
        self.costs = self._batch.costs
        self.problems: list[str] = []
        self._count = len(zones)

    def __iter__(self) -> Iterator[Sample | None]:
        for outcome in self._batch.in_order():
            if outcome.error:
                self.problems.append(outcome.error)
            yield outcome.value
        if len(self.problems) == self._count:
            raise BloomError(self.problems[0])


_PLANNED = 0.02
"""Share of the work that is done once it is known what to sample."""


def sample_instrument(
    document: Instrument,
    settings: Settings,
    store: FileStore,
    report: Callable[[float], bool] = lambda share: True,
    **workers: Any,
) -> tuple[str, SampledSet, Sampling]:
    """Plan, sample and keep a set; gives its folder's name, what is in it, and what it took.

    Parameters
    ----------
    workers
        As of :func:`.pool_for`.

    Raises
    ------
    BloomError
        If the range of keys stands upside down, or all of it is silent.
    """
    program = compile_program(document, DiskMaterials(store))
    zones = plan(program, settings, report)
    curves = list(velocity_curve(program, settings).values())

    def told(share: float) -> bool:
        return report(_PLANNED + (1.0 - _PLANNED) * share)

    work_s = len(zones) * (float(settings.seconds) + 2.0) / REAL_TIME  # type: ignore[attr-defined]
    with pool_for(store, len(zones), work_s=work_s, **workers) as pool:
        made = Sampling(document, settings, zones, store, pool, told)
        recordings = recordings_in(document.model_dump(mode="json"))
        folder, sampled = SampleFolders(store).write(made, curves, settings, recordings)
    return folder, sampled, made
