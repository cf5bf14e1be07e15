"""Swap sheets: an instrument over each of some other recordings, ranked."""

from __future__ import annotations

from sqlalchemy.orm import Session

from innerbloom.batch.pools import REAL_TIME, pool_for
from innerbloom.batch.swapping import swap_sheet
from innerbloom.core.deliver.swap import Candidate
from innerbloom.jobs.kind import JobKind, JobResult, Params, Work
from innerbloom.store.models import JobRow
from innerbloom.store.swap_folders import SwapFolders


def make_sheet(work: Work) -> Params:
    """Parameters: ``instrument``, its number; ``name``, ``key``, ``seconds``, ``scheduler``. The job's document
    holds the ``instrument``, ``candidates``, and ``problems`` with others that were asked for."""
    asked, params = work.document(), work.params
    candidates = [Candidate(**one) for one in asked["candidates"]]
    played = (float(params["key"]), float(params["seconds"]))
    work_s = len(candidates) * (2.0 * played[1] + 4.0) / REAL_TIME
    with pool_for(work.store, len(candidates), work_s=work_s, scheduler=params["scheduler"],
                  job=work.folder.name) as pool:  # fmt: skip
        made = swap_sheet(asked["instrument"], candidates, played, work.store, pool, work.report)
    problems = [*asked["problems"], *made.problems]
    sheet = SwapFolders(work.store).write(
        int(params["instrument"]), params["name"], played, made.entries, problems
    )
    return {"sheet": sheet, "cost": made.costs.words()}


def finish_swap(db: Session, job: JobRow, made: Params) -> JobResult:
    return JobResult(name=job.title, **made)


SWAP = JobKind("swap", "Trying recordings on", make_sheet, finish_swap)
