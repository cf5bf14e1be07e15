"""Sets of variations over HTTP: drawn, chosen from, handed over."""

from __future__ import annotations

from typing import Any

from apiflask import APIBlueprint, HTTPError
from flask import Response, send_file

from innerbloom.core.declare.sound import recordings_in
from innerbloom.core.deliver.credits import Credit, warnings
from innerbloom.core.deliver.hand_over import HandOver, file_names
from innerbloom.core.deliver.variation_set import KIND as VARIATIONS
from innerbloom.core.deliver.variation_set import Choice, VariationSet, choose, parse_variations
from innerbloom.core.deliver.variations import Draw, draws
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.jobs.kind import as_file
from innerbloom.store import documents
from innerbloom.store.models import Document
from innerbloom.store.recordings import credits_of
from innerbloom.store.variation_folders import VariationFolders
from innerbloom.web import variation_schemas as vs
from innerbloom.web.revised import Revision, add_revisions, answer_model, revision_of
from innerbloom.web.routes.instruments import found_instrument
from innerbloom.web.schemas import JobStarted
from innerbloom.web.services import database, services

bp = APIBlueprint("variations", __name__, url_prefix="/api")

VariationsRevision = answer_model(VARIATIONS)


def found_set(variations_id: int, *, deleted: bool = False) -> Document:
    row = database().get(Document, variations_id)
    if row is None or row.kind != VARIATIONS.id or (row.deleted is not None and not deleted):
        raise HTTPError(404, "This set of variations does not exist or was deleted.")
    return row


def folders() -> VariationFolders:
    return VariationFolders(services().files)


add_revisions(bp, "/variations/<int:variations_id>", VARIATIONS, found_set)


@bp.get("/variations")
@bp.output(vs.VariationsList)
def list_sets() -> vs.VariationsList:
    rows = documents.listed(database(), VARIATIONS)
    return vs.VariationsList(sets=[vs.VariationsLine.of(row) for row in rows])


@bp.post("/variations")
@bp.input(vs.VariationsIn, location="json")
@bp.output(VariationsRevision, status_code=201)
def create(json_data: vs.VariationsIn) -> Revision[Any]:
    """A new set of an instrument."""
    row = found_instrument(json_data.instrument)
    name = json_data.name.strip() or row.name
    made = VariationSet(name=name, instrument=row.id, instrument_name=row.name)
    return revision_of(documents.create(database(), VARIATIONS, made))


@bp.post("/variations/<int:variations_id>/draw")
@bp.output(JobStarted, status_code=202)
def draw(variations_id: int) -> JobStarted:
    """Draw, as a job; what was drawn before is kept until it is done."""
    row = found_set(variations_id)
    document = parse_variations(row.content)
    if document.instrument is None:
        raise HTTPError(409, "The set has no instrument: choose one.")
    instrument = found_instrument(document.instrument)
    # what cannot be drawn is said now, and not by a job that fails
    draws(parse_instrument(instrument.content), document.settings)
    files = as_file({"set": row.content, "instrument": instrument.content})
    params = {"variations": row.id}
    return JobStarted(job=services().jobs.submit("draw", row.name, params, files))


@bp.get("/variations/<int:variations_id>/drawn")
@bp.output(vs.VariationsDrawn)
def drawn(variations_id: int) -> vs.VariationsDrawn:
    """What was drawn, what is kept of it, and whether it can be handed over."""
    row = found_set(variations_id)
    document = parse_variations(row.content)
    choices = choose(folders().read(document.made), document)
    kept = [one for one in choices if one.kept]
    names, wrong = _names(kept, document)
    said = warnings(_credits(document))
    twins = [one for one in kept if one.near is not None]
    if twins:
        said.append(
            f"{len(twins)} pass for the same sound as another: keep fewer, or let more vary."
        )
    return vs.VariationsDrawn(
        revision=row.revision,
        made=document.made,
        drawn=[_shown(one, names) for one in choices],
        kept=len(kept),
        seconds=round(sum(one.drawn.seconds for one in kept), 3),
        least=round(min((one.nearest for one in kept), default=0.0), 3),
        wrong=wrong if choices else "",
        warnings=said,
    )


def _names(kept: list[Choice], document: VariationSet) -> tuple[dict[int, str], str]:
    """Names of files by the number of the draw, and why there are none."""
    played = [Draw(d.number, d.key, d.velocity, d.seed) for d in (one.drawn for one in kept)]
    how = HandOver(document.name, document.instrument_name, document.names, document.form)
    if not kept:
        return {}, "Nothing is kept: keep some of what was drawn."
    try:
        names = file_names(played, how)
    except BloomError as error:
        return {}, str(error)
    return {one.drawn.number: name for one, name in zip(kept, names, strict=True)}, ""


def _shown(one: Choice, names: dict[int, str]) -> vs.VariationShown:
    loudness = one.drawn.loudness
    return vs.VariationShown(
        number=one.drawn.number, file=names.get(one.drawn.number, ""), words=one.drawn.words,
        seconds=one.drawn.seconds, gain=round(one.gain, 2), kept=one.kept, by_hand=one.by_hand,
        loudness=None if loudness is None else round(loudness + one.gain, 1), near=one.near,
        place=one.place, pairs=one.drawn.pairs,
    )  # fmt: skip


def _credits(document: VariationSet) -> list[Credit]:
    if document.instrument is None:
        return []
    row = database().get(Document, document.instrument)
    return [] if row is None else credits_of(database(), recordings_in(row.content))


@bp.post("/variations/<int:variations_id>/hand-over")
@bp.output(JobStarted, status_code=202)
def hand_over(variations_id: int) -> JobStarted:
    """Write those kept, with contents, credits and checksums, as one zip; a job."""
    row = found_set(variations_id)
    document = parse_variations(row.content)
    kept = [one for one in choose(folders().read(document.made), document) if one.kept]
    _, wrong = _names(kept, document)
    if wrong:
        raise HTTPError(409, wrong)
    credits = [one.model_dump() for one in _credits(document)]
    files = as_file({"set": row.content, "credits": credits})
    return JobStarted(job=services().jobs.submit("hand over", row.name, {}, files))


@bp.get("/variations/<int:variations_id>/sounds/<int:number>")
@bp.doc(responses={200: "a float WAV as it was drawn"})
def sound(variations_id: int, number: int) -> Response:
    document = parse_variations(found_set(variations_id).content)
    return send_file(folders().sound(document.made, number), "audio/wav")


@bp.delete("/variations/<int:variations_id>")
@bp.output({}, status_code=204)
def delete(variations_id: int) -> str:
    documents.set_deleted(database(), found_set(variations_id), True)
    return ""


@bp.post("/variations/<int:variations_id>/restore")
@bp.output(VariationsRevision)
def restore(variations_id: int) -> Revision[Any]:
    row = found_set(variations_id, deleted=True)
    documents.set_deleted(database(), row, False)
    return revision_of(row)
