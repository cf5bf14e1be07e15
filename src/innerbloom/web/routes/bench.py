"""The Bench over HTTP: a sound's recipe, what its steps make, and keeping it as material."""

from __future__ import annotations

from typing import Any

import numpy as np
from apiflask import APIBlueprint, HTTPError

from innerbloom.core.errors import BloomError
from innerbloom.core.prepare.pieces import DECLARED as PIECES_DECLARED
from innerbloom.core.prepare.recipe import KIND as RECIPE
from innerbloom.core.prepare.recipe import STEP_KINDS, Recipe, parse_recipe, parse_step
from innerbloom.core.prepare.repairing import bands_of
from innerbloom.core.process.equalise import response_db
from innerbloom.core.sound.files import sound_info
from innerbloom.store import documents, recordings
from innerbloom.store.models import Document, Recording
from innerbloom.store.stages import StageStore, summary_of
from innerbloom.web import bench_schemas as b
from innerbloom.web import schemas as s
from innerbloom.web.revised import add_revisions
from innerbloom.web.routes.recordings import found_recording
from innerbloom.web.services import database, services, settings

bp = APIBlueprint("bench", __name__, url_prefix="/api")


def found_recipe(recording_id: int) -> Document:
    """The recipe of a sound."""
    row = found_recording(recording_id)
    kind = documents.kind_at_bench(row)
    if kind is not RECIPE:
        raise HTTPError(404, f"'{row.name}' has no recipe of steps: open its {kind.id}.")
    return documents.at_bench(database(), row)


def _recipe(recording_id: int) -> Recipe:
    return parse_recipe(found_recipe(recording_id).content)


add_revisions(bp, "/recordings/<int:recording_id>/bench", RECIPE, found_recipe)


@bp.get("/bench/steps")
@bp.output(b.StepKinds)
def step_kinds() -> b.StepKinds:
    """Every kind of step, as it is declared."""
    kinds = [b.StepKindOut.model_validate(kind) for kind in STEP_KINDS.values()]
    return b.StepKinds(kinds=kinds, pieces=list(PIECES_DECLARED))


@bp.post("/bench/response")
@bp.input(b.ResponseIn, location="json")
@bp.output(b.ResponseOut)
def response(json_data: b.ResponseIn) -> b.ResponseOut:
    """What an equaliser step does to each frequency, evenly along a logarithmic axis."""
    step = parse_step({**json_data.step, "do": "equaliser"})
    hz = np.geomspace(b.LOWEST_HZ, b.HIGHEST_HZ, json_data.points)
    gains = response_db(bands_of(step), hz)
    return b.ResponseOut(low_hz=b.LOWEST_HZ, high_hz=b.HIGHEST_HZ, gain_db=gains.round(2).tolist())


@bp.post("/recordings/<int:recording_id>/bench/copy")
@bp.input(b.CopyIn, location="json")
@bp.output(b.Copied)
def copy_recipe(recording_id: int, json_data: b.CopyIn) -> b.Copied:
    """Lay this recipe over other recordings; each can undo it."""
    row, recipe = found_recording(recording_id), _recipe(recording_id)
    for other in json_data.recordings:
        theirs = found_recipe(other)
        documents.replace(database(), theirs, theirs.revision, recipe, f"Recipe of {row.name}")
    return b.Copied(copied=len(json_data.recordings))


@bp.post("/recordings/<int:recording_id>/bench/stage")
@bp.input(b.StageIn, location="json")
@bp.output(b.StageAnswer)
def stage(recording_id: int, json_data: b.StageIn) -> b.StageAnswer:
    """What the first steps make: at once where it is kept, else as a job."""
    row = found_recording(recording_id)
    recipe = _recipe(recording_id).upto(json_data.upto)
    if not recipe.steps:
        return b.StageAnswer(key=row.digest, job=None, stage=_as_stage(row))
    files, tuning = services().files, settings().tuning
    key = StageStore(files, row.digest, recipe, tuning).key(len(recipe.steps))
    present = summary_of(files, key)
    if present is not None:
        return b.StageAnswer(key=key, job=None, stage=b.StageOut(**_named(present)))
    params = {"digest": row.digest, "steps": recipe.plain()["steps"], "tuning": tuning}
    return b.StageAnswer(key=key, job=services().jobs.submit("stage", row.name, params), stage=None)


def _as_stage(row: Recording) -> b.StageOut:
    info = sound_info(services().files.readable(row.digest))
    return b.StageOut(**_named({"key": row.digest, "frames": info.frames, **row.measured}))


def _named(measured: dict[str, Any]) -> dict[str, Any]:
    keep = {**measured, "root_how": measured.get("root_how", "found")}
    keep = {"loops": [], "over": "", **keep}
    return {name: keep[name] for name in b.StageOut.model_fields}


@bp.get("/stages/<string(length=64):key>")
@bp.output(b.StageOut)
def get_stage(key: str) -> b.StageOut:
    present = summary_of(services().files, key)
    if present is None:
        raise HTTPError(404, "This stage is not at hand: open the recipe again.")
    return b.StageOut(**_named(present))


@bp.post("/recordings/<int:recording_id>/bench/keep")
@bp.input(b.KeepIn, location="json")
@bp.output(s.JobStarted, status_code=202)
def keep(recording_id: int, json_data: b.KeepIn) -> s.JobStarted:
    """Make materials: the whole recipe once, or one from each piece of the recording."""
    row, recipe = found_recording(recording_id), _recipe(recording_id)
    params = {
        "digest": row.digest, "recording": row.id, "name": row.name, "tuning": settings().tuning,
        "place": row.place, "steps": recipe.plain()["steps"], "origin": recordings.origin_of(row),
        "pieces": [piece.model_dump() for piece in json_data.pieces],
        "together": json_data.together,
    }  # fmt: skip
    for piece in json_data.pieces:
        if piece.end is not None and piece.end <= (piece.start or 0.0):
            raise BloomError(f"'{piece.name}' is empty: its end has to lie after its start.")
    count = len(json_data.pieces)
    title = json_data.pieces[0].name if count == 1 else f"{count} pieces of {row.name}"
    return s.JobStarted(job=services().jobs.submit("keep", title, params))


@bp.get("/recordings/<int:recording_id>/lineage")
@bp.output(s.Lineage)
def lineage(recording_id: int) -> s.Lineage:
    """What a sound came from, step by step back, and what was made from it."""
    db = database()
    row = found_recording(recording_id, deleted=True)
    return s.Lineage(
        made_from=[s.SoundRef.of(*one) for one in recordings.ancestors(db, row)],
        made_into=[s.SoundRef.of(one) for one in recordings.descendants(db, row)],
    )
