"""A swap sheet as a batch: one task a recording, after the instrument has been played as it is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from innerbloom.batch.pools import Pool
from innerbloom.batch.running import Batch, Costs
from innerbloom.batch.tasks import Swapped, swap_task
from innerbloom.core.deliver.swap import Candidate, Holds, holds
from innerbloom.core.errors import BloomError
from innerbloom.store.files import FileStore
from innerbloom.store.swap_folders import Entry

_ITSELF = Holds(1.0, 1.0, 1.0)


@dataclass(frozen=True)
class Sheet:
    """What came of a sheet: entries, the instrument as it is and then the best first; what could not be tried."""

    entries: list[Entry]
    problems: list[str]
    costs: Costs


def swap_sheet(
    instrument: dict[str, Any], candidates: list[Candidate], played: tuple[float, float],
    store: FileStore, pool: Pool, report: Callable[[float], bool],
) -> Sheet:  # fmt: skip
    """Try an instrument, as plain data, on recordings.

    Parameters
    ----------
    played : (key, seconds held)

    Raises
    ------
    BloomError
        If the instrument cannot be played, or none of them can be tried.
    """
    key, seconds = played
    total = len(candidates) + 1
    first = swap_task(instrument, None, key, seconds, 0.0)
    alone = Batch([first], store, pool, lambda share: report(share / total))
    own = next(alone.in_order())
    if own.error:
        raise BloomError(own.error)
    before: Swapped = own.value
    tasks = [swap_task(instrument, one, key, seconds, before.character.loudness)
             for one in candidates]  # fmt: skip
    batch = Batch(tasks, store, pool, lambda share: report((1.0 + share * (total - 1)) / total))
    entries: list[Entry] = []
    problems = []
    for candidate, outcome in zip(candidates, batch.in_order(), strict=True):
        if outcome.error:
            problems.append(outcome.error)
            continue
        made: Swapped = outcome.value
        held = holds(before.character, made.character)
        entries.append((candidate, made.document, made.character, held))
    if not entries:
        raise BloomError(problems[-1])
    entries.sort(key=lambda one: one[3].together, reverse=True)
    entries.insert(0, (None, before.document, before.character, _ITSELF))
    return Sheet(entries, problems, batch.costs)
