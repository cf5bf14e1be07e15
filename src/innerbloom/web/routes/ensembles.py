"""Ensembles over HTTP."""

from __future__ import annotations

from typing import Any

from apiflask import APIBlueprint

from innerbloom.core.ensemble import working
from innerbloom.core.ensemble.document import KIND as ENSEMBLE
from innerbloom.core.ensemble.document import Ensemble, parse_ensemble
from innerbloom.store import documents
from innerbloom.store.ensembles import with_documents
from innerbloom.store.models import Document
from innerbloom.web import ensemble_schemas as es
from innerbloom.web import schemas as s
from innerbloom.web.revised import (
    Revision,
    add_deletion,
    add_revisions,
    answer_model,
    find_document,
    revision_of,
)
from innerbloom.web.routes.instruments import found_instrument, start_rendering
from innerbloom.web.services import database

bp = APIBlueprint("ensembles", __name__, url_prefix="/api")

EnsembleRevision = answer_model(ENSEMBLE)


def found_ensemble(ensemble_id: int, *, deleted: bool = False) -> Document:
    return find_document(ENSEMBLE, ensemble_id, deleted=deleted)


add_revisions(bp, "/ensembles/<int:ensemble_id>", ENSEMBLE, found_ensemble)
add_deletion(bp, "/ensembles/<int:ensemble_id>", ENSEMBLE, found_ensemble)


@bp.get("/ensembles")
@bp.output(es.EnsembleList)
def list_ensembles() -> es.EnsembleList:
    rows = documents.listed(database(), ENSEMBLE)
    return es.EnsembleList(ensembles=[es.EnsembleLine.of(row) for row in rows])


@bp.post("/ensembles")
@bp.input(es.EnsembleIn, location="json")
@bp.output(EnsembleRevision, status_code=201)
def create(json_data: es.EnsembleIn) -> Revision[Any]:
    """A new ensemble."""
    made = working.new_ensemble(json_data.name)
    for instrument in json_data.instruments:
        made = working.add_player(made, found_instrument(instrument).name, instrument)
    return revision_of(documents.create(database(), ENSEMBLE, made))


@bp.get("/ensembles/<int:ensemble_id>/heard")
@bp.output(es.EnsembleHeard)
def heard(ensemble_id: int) -> es.EnsembleHeard:
    """The ensemble with its instruments as they are now."""
    row = found_ensemble(ensemble_id)
    document = with_documents(database(), parse_ensemble(row.content))
    gone = [one.id for one in document.players if one.document is None]
    return es.EnsembleHeard(revision=row.revision, document=document, gone=gone)


@bp.post("/ensembles/<int:ensemble_id>/players")
@bp.input(es.EnsembleActionIn, location="json")
@bp.output(EnsembleRevision)
def act(ensemble_id: int, json_data: es.EnsembleActionIn) -> Revision[Any]:
    """Add, replace or remove a player, as one revision."""
    action = json_data.action
    row = found_ensemble(ensemble_id)
    label, changed = _changed(parse_ensemble(row.content), action)
    documents.replace(database(), row, action.revision, changed, label)
    return revision_of(row)


def _changed(document: Ensemble, action: es.EnsembleAction) -> tuple[str, Ensemble]:
    """The label of an action, and the changed document."""
    match action:
        case es.AddPlayer():
            name = found_instrument(action.instrument).name
            return "Add a player", working.add_player(document, name, action.instrument)
        case es.ReplacePlayer():
            name = found_instrument(action.instrument).name
            return "Replace a player", working.replace_player(
                document, action.player, name, action.instrument
            )
        case es.RemovePlayer():
            return "Remove a player", working.remove_player(document, action.player)


@bp.post("/ensembles/<int:ensemble_id>/duplicate")
@bp.output(EnsembleRevision, status_code=201)
def duplicate(ensemble_id: int) -> Revision[Any]:
    document = parse_ensemble(found_ensemble(ensemble_id).content)
    document.name = f"{document.name[:112]} copy"
    return revision_of(documents.create(database(), ENSEMBLE, document))


@bp.post("/ensembles/<int:ensemble_id>/render")
@bp.input(s.RenderIn, location="json")
@bp.output(s.JobStarted, status_code=202)
def render(ensemble_id: int, json_data: s.RenderIn) -> s.JobStarted:
    """Render a note or a MIDI file, as a job."""
    row = found_ensemble(ensemble_id)
    whole = with_documents(database(), parse_ensemble(row.content))
    return start_rendering(row, json_data, whole.model_dump(mode="json"))
