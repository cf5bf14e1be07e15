"""Swap sheets: an instrument over each of some other recordings, ranked."""

from __future__ import annotations

from sqlalchemy.orm import Session

from innerbloom.batch.pools import pool_for
from innerbloom.batch.running import Batch
from innerbloom.batch.tasks import Swapped, swap_task
from innerbloom.core.deliver.swap import Candidate, Holds, holds
from innerbloom.core.errors import BloomError
from innerbloom.jobs.kind import JobKind, JobResult, Params, Work
from innerbloom.store.models import JobRow
from innerbloom.store.swap_folders import Entry, SwapFolders

_ITSELF = Holds(1.0, 1.0, 1.0)


def swap_sheet(work: Work) -> Params:
    """Parameters: ``instrument``, its number; ``name``, ``key``, ``seconds``, ``scheduler``. The job's document
    holds the ``instrument``, ``candidates``, and ``problems`` with others that were asked for."""
    asked, params = work.document(), work.params
    candidates = [Candidate(**one) for one in asked["candidates"]]
    key, seconds = float(params["key"]), float(params["seconds"])
    total = len(candidates) + 1

    def told(share: float) -> bool:
        return work.report((1.0 + share * len(candidates)) / total)

    with pool_for(work.store, len(candidates), scheduler=params["scheduler"],
                  job=work.folder.name) as pool:  # fmt: skip
        first = swap_task(asked["instrument"], None, key, seconds, 0.0)
        alone = Batch([first], work.store, pool, lambda share: work.report(share / total))
        own = next(alone.in_order())
        if own.error:
            raise BloomError(own.error)
        before: Swapped = own.value
        tasks = [swap_task(asked["instrument"], one, key, seconds, before.character.loudness)
                 for one in candidates]  # fmt: skip
        batch = Batch(tasks, work.store, pool, told)
        outcomes = list(batch.in_order())
    entries: list[Entry] = []
    problems: list[str] = list(asked["problems"])
    for candidate, outcome in zip(candidates, outcomes, strict=True):
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
    sheet = SwapFolders(work.store).write(
        int(params["instrument"]), params["name"], (key, seconds), entries, problems
    )
    return {"sheet": sheet, "cost": batch.costs.words()}


def finish_swap(db: Session, job: JobRow, made: Params) -> JobResult:
    return JobResult(name=job.title, **made)


SWAP = JobKind("swap", "Trying recordings on", swap_sheet, finish_swap)
