"""Running recipes: to look at what steps make, and to keep it as material."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from innerbloom.core.analysis.examine import examine
from innerbloom.core.deliver.sources import file_digest
from innerbloom.core.errors import BloomError, Cancelled
from innerbloom.core.pitch_names import hz_to_note
from innerbloom.core.prepare.levelling import levelled_together
from innerbloom.core.prepare.recipe import Recipe, parse_recipe, piece_recipe
from innerbloom.core.prepare.run import run_recipe
from innerbloom.core.prepare.source import FileSource, write_clip
from innerbloom.core.sound.metadata import Origin
from innerbloom.jobs.kind import JobKind, JobResult, Params, Work
from innerbloom.store import recordings
from innerbloom.store.files import FileStore
from innerbloom.store.models import JobRow
from innerbloom.store.stages import StageStore, clip_summary, measure_stage, with_root


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
    store, params, report = work.store, work.params, work.report
    recipe = parse_recipe({"steps": params["steps"]})
    source = FileSource(store.readable(params["digest"]))
    made, problems = [], []
    if params.get("together"):
        recipe = levelled_together(
            recipe, source, [(one["start"], one["end"]) for one in params["pieces"]],
            tuning=params["tuning"], progress=lambda share: report(0.3 * share),
        )  # fmt: skip
    for number, piece in enumerate(params["pieces"]):
        share = 1.0 / len(params["pieces"])

        def told(part: float, before: float = number * share, share: float = share) -> bool:
            return report(before + share * part)

        try:
            made.append(_make_material(store, source, recipe, piece, params, told))
        except Cancelled:
            raise
        except BloomError as error:
            problems.append(f"{piece['name']}: {error}")
    if not made:
        raise BloomError(problems[0] if problems else "There was nothing to keep.")
    return {"made": made, "problems": problems}


def _make_material(
    store: FileStore, source: FileSource, recipe: Recipe, piece: Params, params: Params, told: Any
) -> Params:
    stages = None
    if piece.get("end") is not None:
        recipe = piece_recipe(recipe, piece["start"], piece["end"])
    else:
        stages = StageStore(store, params["digest"], recipe, params["tuning"])
    clip = run_recipe(
        recipe, source, tuning=params["tuning"], stages=stages, progress=lambda s: told(0.8 * s)
    )
    path = store.new_incoming("material.wav")
    try:
        write_clip(path, clip, form="wav32f")
        found = with_root(examine(path), clip)
        root = None if found.root_hz is None else hz_to_note(found.root_hz)
        origin = Origin(title=piece["name"], **params["origin"])
        write_clip(path, clip, form="wav32f", origin=origin, root=root)
        told(0.9)
        digest = file_digest(path)
        store.save_pictures(digest, found)
        store.adopt(path, digest, ".wav")
    finally:
        path.unlink(missing_ok=True)
    return {
        "digest": digest, "name": piece["name"], "origin": origin.__dict__,
        "place": params.get("place", ""),
        "measured": clip_summary(found, clip), "steps": recipe.plain()["steps"],
    }  # fmt: skip


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
