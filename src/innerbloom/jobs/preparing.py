"""Running recipes: to look at what steps make, and to keep it as material."""

from __future__ import annotations

from collections.abc import Callable, Generator
from contextlib import closing
from functools import partial

from sqlalchemy.orm import Session

from innerbloom.batch.pools import WORTH_IT_S, pool_for
from innerbloom.batch.running import Batch
from innerbloom.batch.tasks import piece_task
from innerbloom.core.errors import BloomError, Cancelled
from innerbloom.core.prepare.levelling import levelled_together
from innerbloom.core.prepare.recipe import parse_recipe
from innerbloom.core.prepare.run import run_recipe
from innerbloom.core.prepare.source import FileSource
from innerbloom.jobs.kind import JobKind, JobResult, Params, Work
from innerbloom.store import recordings
from innerbloom.store.materials import make_material
from innerbloom.store.models import JobRow
from innerbloom.store.stages import StageStore, measure_stage

Progress = Callable[[float], bool]
_ASKED = ("digest", "steps", "tuning", "origin", "place")
_PIECE_S, _REAL_TIME = 0.035, 30.0
"""About how long a piece takes at least, and how many seconds of sound pass in one of work."""


def make_stage(work: Work) -> Params:
    """Parameters: ``digest``, ``steps``, ``tuning``. What the steps make, measured."""
    store, params, report = work.store, work.params, work.report
    recipe = parse_recipe({"steps": params["steps"]})
    stages = StageStore(store, params["digest"], recipe, params["tuning"])
    clip = run_recipe(
        recipe, FileSource(store.readable(params["digest"])), tuning=params["tuning"],
        stages=stages, progress=lambda share: report(0.85 * share),
    )  # fmt: skip
    count = len(recipe.steps)
    measure_stage(store, recipe, stages.key(count), clip, lambda share: report(0.85 + 0.15 * share))
    return {}


def keep_materials(work: Work) -> Params:
    """Parameters: ``digest``, ``steps``, ``tuning``, ``origin``, ``pieces`` (each with ``name``
    and, for a stretch of the recording, ``start`` and ``end`` in seconds).

    Each piece becomes a file of its own; one that fails is named and the others go on.
    """
    params, pieces, begun = work.params, work.params["pieces"], 0.0
    asked = {key: params[key] for key in _ASKED if key in params}
    if params.get("together"):
        begun = 0.3
        asked["steps"] = _levelled_together(work, lambda share: work.report(begun * share))
    made, problems = [], []
    with closing(
        _each(work, asked, lambda share: work.report(begun + (1 - begun) * share))
    ) as each:
        for piece, (found, problem) in zip(pieces, each, strict=True):
            if found is None:
                problems.append(f"{piece['name']}: {problem}")
            else:
                made.append(found)
    if not made:
        raise BloomError(problems[0] if problems else "There was nothing to keep.")
    return {"made": made, "problems": problems}


def _levelled_together(work: Work, report: Progress) -> list[Params]:
    """The steps, with the one gain that suits the loudest piece."""
    params = work.params
    source = FileSource(work.store.readable(params["digest"]))
    recipe = levelled_together(
        parse_recipe({"steps": params["steps"]}), source,
        [(one["start"], one["end"]) for one in params["pieces"]],
        tuning=params["tuning"], progress=report,
    )  # fmt: skip
    steps: list[Params] = recipe.plain()["steps"]
    return steps


def _each(work: Work, asked: Params, report: Progress) -> Generator[tuple[Params | None, str]]:
    """Each piece's material, or why it could not be made, in their order; many in several processes."""
    store, pieces = work.store, work.params["pieces"]
    work_s = sum(_PIECE_S + _seconds_of(one) / _REAL_TIME for one in pieces)
    if len(pieces) == 1 or work_s < WORTH_IT_S:
        for number, piece in enumerate(pieces):
            try:
                part = partial(_part, report, number, len(pieces))
                yield make_material(store, asked, piece, part), ""
            except Cancelled:
                raise
            except BloomError as error:
                yield None, str(error)
        return
    tasks = [piece_task(asked, one) for one in pieces]
    with pool_for(store, len(tasks), work_s=work_s, job=work.folder.name) as pool:
        for outcome in Batch(tasks, store, pool, report).in_order():
            yield outcome.value, outcome.error


def _part(report: Progress, number: int, count: int, share: float) -> bool:
    return report((number + share) / count)


def _seconds_of(piece: Params) -> float:
    return float(piece["end"] - piece["start"]) if piece.get("end") is not None else 0.0


def finish_keep(db: Session, job: JobRow, found: Params) -> JobResult:
    """Enter materials with what they came from: recording, recipe, and all before them."""
    params, ids, known = job.params, [], []
    for made in found["made"]:
        lineage = {
            "from": params["recording"], "digest": params["digest"], "name": params["name"],
            "steps": made["steps"], "tuning": params["tuning"],
        }  # fmt: skip
        present = recordings.with_digest(db, made["digest"])
        if present is not None and present.deleted is None:
            known.append(present.id)
            continue
        row = recordings.add(db, made["digest"], f"{made['name']}.wav", made, lineage, "clip")
        ids.append(row.id)
    return JobResult(recordings=ids, known=known, problems=found["problems"])


STAGE = JobKind("stage", "Preparing", make_stage, waited_for=True)
KEEP = JobKind("keep", "Keeping", keep_materials, finish_keep, waited_for=True)
