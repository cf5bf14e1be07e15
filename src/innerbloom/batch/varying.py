"""Drawing variations as a batch: one task a variation."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from innerbloom.batch.pools import Pool
from innerbloom.batch.running import Batch
from innerbloom.batch.tasks import variation_task
from innerbloom.core.deliver.variations import ALL_SILENT, Hands, Variation, draws
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.document import Instrument
from innerbloom.store.files import FileStore


class Drawing:
    """Variations being drawn; iterate for all that are not silent, in the order in which they are drawn.

    Raises
    ------
    BloomError
        With what went wrong first, or where nothing can be heard; see :func:`.draws` for the rest.
    """

    def __init__(
        self,
        document: Instrument,
        settings: Any,
        hands: Hands,
        store: FileStore,
        pool: Pool,
        report: Callable[[float], bool],
    ) -> None:
        plain, asked = document.model_dump(mode="json"), settings.model_dump(mode="json")
        tasks = [variation_task(plain, asked, one, hands) for one in draws(document, settings)]
        self._batch = Batch(tasks, store, pool, report)
        self.costs = self._batch.costs

    def __iter__(self) -> Iterator[Variation]:
        silent = True
        for outcome in self._batch.in_order():
            if outcome.error:
                raise BloomError(outcome.error)
            if outcome.value is not None:
                silent = False
                yield outcome.value
        if silent:
            raise BloomError(ALL_SILENT)
