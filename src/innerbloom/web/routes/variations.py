"""Sets of variations over HTTP: drawn, chosen from, handed over."""

from __future__ import annotations

from typing import Any

from apiflask import APIBlueprint, HTTPError
from flask import Response, send_file

from innerbloom.core.declare.sound import recordings_in
from innerbloom.core.deliver.credits import Credit, warnings
from innerbloom.core.deliver.hand_over import HandOver, file_names
from innerbloom.core.deliver.variation_set import KIND as VARIATIONS
from innerbloom.core.deliver.variation_set import (
    Choice,
    VariationSet,
    choose,
    intensity_layers,
    parse_variations,
    settings_of_print,
    settings_of_take,
)
from innerbloom.core.deliver.variations import Draw, draws
from innerbloom.core.ensemble.document import is_ensemble
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.performance.take_document import parse_take
from innerbloom.jobs.kind import as_file
from innerbloom.store import documents
from innerbloom.store.models import Document, Recording
from innerbloom.store.recordings import credits_of
from innerbloom.store.take_folders import TakeFolders
from innerbloom.store.variation_folders import VariationFolders
from innerbloom.web import variation_schemas as vs
from innerbloom.web.revised import (
    Revision,
    add_deletion,
    add_revisions,
    answer_model,
    find_document,
    revision_of,
)
from innerbloom.web.routes.instruments import found_instrument
from innerbloom.web.routes.recordings import found_recording
from innerbloom.web.routes.takes import found_take
from innerbloom.web.schemas import JobStarted
from innerbloom.web.services import database, services, settings

bp = APIBlueprint("variations", __name__, url_prefix="/api")

VariationsRevision = answer_model(VARIATIONS)


def found_set(variations_id: int, *, deleted: bool = False) -> Document:
    return find_document(VARIATIONS, variations_id, deleted=deleted)


def folders() -> VariationFolders:
    return VariationFolders(services().files)


add_revisions(bp, "/variations/<int:variations_id>", VARIATIONS, found_set)
add_deletion(bp, "/variations/<int:variations_id>", VARIATIONS, found_set)


@bp.get("/variations")
@bp.output(vs.VariationsList)
def list_sets() -> vs.VariationsList:
    rows = documents.listed(database(), VARIATIONS)
    return vs.VariationsList(sets=[vs.VariationsLine.of(row) for row in rows])


@bp.post("/variations")
@bp.input(vs.VariationsIn, location="json")
@bp.output(VariationsRevision, status_code=201)
def create(json_data: vs.VariationsIn) -> Revision[Any]:
    """A new set of an instrument, of its snapshots as layers, or of a take."""
    name = json_data.name.strip()
    if json_data.take is not None:
        made = _of_take(found_take(json_data.take), name)
    elif json_data.recording is not None:
        made = _of_print(found_recording(json_data.recording), name)
    elif json_data.instrument is not None:
        row = found_instrument(json_data.instrument)
        made = VariationSet(name=name or row.name, instrument=row.id, instrument_name=row.name)
        if json_data.layers:
            made.settings = intensity_layers(parse_instrument(row.content))
            made.names = "{name}_{snapshot}"
    else:
        raise HTTPError(422, "Say what is varied: an instrument or a take.")
    return revision_of(documents.create(database(), VARIATIONS, made))


def _of_print(row: Recording, name: str) -> VariationSet:
    """Of a sound that an instrument printed, at its key."""
    made_by = row.lineage
    if "document" not in made_by or "played" not in made_by:
        raise HTTPError(409, f"'{row.name}' was not printed from an instrument.")
    return VariationSet(
        name=name or row.name, instrument_name=made_by["name"], recording=row.id,
        settings=settings_of_print(made_by["played"]),
    )  # fmt: skip


def _of_take(row: Document, name: str) -> VariationSet:
    """Of a take's first seconds, at its own pitch."""
    about = parse_take(row.content).about
    settings = settings_of_take(about.seconds)
    return VariationSet(name=name or row.name, instrument_name=about.instrument_name, take=row.id,
                        settings=settings)  # fmt: skip


def _played(
    document: VariationSet,
) -> tuple[dict[str, Any], Document | None, dict[str, Any] | None]:
    """The instrument that is played, its row where there is one, and the take that is played, if it is one."""
    if document.recording is not None:
        printed = found_recording(document.recording)
        return printed.lineage["document"], None, None
    if document.take is None:
        if document.instrument is None:
            raise HTTPError(409, "The set has no instrument: choose one.")
        row = found_instrument(document.instrument)
        return row.content, row, None
    take = found_take(document.take)
    folder = parse_take(take.content).about.folder
    plain = TakeFolders(services().files).read(folder).take.document
    if is_ensemble(plain):
        raise HTTPError(409, "Variations are drawn of one instrument: this take is of an ensemble.")
    return plain, None, take.content


@bp.post("/variations/<int:variations_id>/draw")
@bp.output(JobStarted, status_code=202)
def draw(variations_id: int) -> JobStarted:
    """Draw, as a job; what was drawn before is kept until it is done."""
    row = found_set(variations_id)
    document = parse_variations(row.content)
    instrument, _, take = _played(document)
    # what cannot be drawn is said now, and not by a job that fails
    draws(parse_instrument(instrument), document.settings)
    files = as_file({"set": row.content, "instrument": instrument, "take": take})
    params = {"variations": row.id, "scheduler": settings().scheduler}
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
    drawn = [one.drawn for one in kept]
    played = [Draw(d.number, d.key, d.velocity, d.seed, (), d.snapshot or None) for d in drawn]
    how = HandOver(document.name, document.instrument_name, document.names, document.form,
                   states={one.snapshot: one.state for one in drawn})  # fmt: skip
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
    try:
        instrument, _, _ = _played(document)
    except (HTTPError, BloomError):
        return []
    return credits_of(database(), recordings_in(instrument))


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
    take = None if document.take is None else found_take(document.take).name
    _, instrument, _ = _played(document)
    tags = [] if instrument is None else instrument.tags
    files = as_file({"set": row.content, "credits": credits, "take": take or "", "tags": tags})
    return JobStarted(job=services().jobs.submit("hand over", row.name, {}, files))


@bp.get("/variations/<int:variations_id>/sounds/<int:number>")
@bp.doc(responses={200: "a float WAV as it was drawn"})
def sound(variations_id: int, number: int) -> Response:
    document = parse_variations(found_set(variations_id).content)
    return send_file(folders().sound(document.made, number), "audio/wav")
