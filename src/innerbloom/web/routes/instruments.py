"""Instruments over HTTP."""

from __future__ import annotations

from typing import Any

from apiflask import APIBlueprint, HTTPError
from flask import Response

from innerbloom.core.deliver.playable import parse_playable, with_seed
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.document import KIND as INSTRUMENT
from innerbloom.core.instrument.document import Instrument, parse_instrument, sounds_of
from innerbloom.jobs.kind import as_file
from innerbloom.jobs.rendering import MIDI
from innerbloom.store import documents
from innerbloom.store.files import safe_title
from innerbloom.store.models import Document
from innerbloom.store.sketches import sketch_of
from innerbloom.web import schemas as s
from innerbloom.web.revised import (
    Revision,
    add_deletion,
    add_revisions,
    answer_model,
    find_document,
    revision_of,
)
from innerbloom.web.services import database, services, settings
from innerbloom.web.uploads import receive, takes_body

bp = APIBlueprint("instruments", __name__, url_prefix="/api")


InstrumentRevision = answer_model(INSTRUMENT)


def found_instrument(instrument_id: int, *, deleted: bool = False) -> Document:
    return find_document(INSTRUMENT, instrument_id, deleted=deleted)


def opened(instrument_id: int) -> Instrument:
    """The newest document of an instrument."""
    return parse_instrument(found_instrument(instrument_id).content)


def created(document: Instrument) -> Revision[Any]:
    """Enter a new instrument."""
    return revision_of(documents.create(database(), INSTRUMENT, document))


def store_change(row: Document, revision: int, changed: Instrument, label: str) -> Revision[Any]:
    """Store a changed document as a revision."""
    documents.replace(database(), row, revision, changed, label)
    return revision_of(row)


add_revisions(bp, "/instruments/<int:instrument_id>", INSTRUMENT, found_instrument)
add_deletion(bp, "/instruments/<int:instrument_id>", INSTRUMENT, found_instrument)


@bp.get("/instruments")
@bp.output(s.InstrumentList)
def list_instruments() -> s.InstrumentList:
    return s.InstrumentList(
        instruments=[s.InstrumentLine.of(row) for row in documents.listed(database(), INSTRUMENT)]
    )


@bp.post("/instruments")
@bp.input(s.InstrumentIn, location="json")
@bp.output(InstrumentRevision, status_code=201)
def add_instrument(json_data: s.InstrumentIn) -> Revision[Any]:
    """Enter a whole document; the recordings that it names by hash are on the shelf already."""
    document = parse_instrument(json_data.document)
    files = services().files
    for sound in sounds_of(document):
        if sound.recording is None or files.find(sound.recording) is None:
            named = sound.recording or sound.path or "none"
            raise DocumentError(
                f"The recording '{named}' is not on the shelf: add it first, or send a bundle."
            )
        sound.path = None
    return created(document)


@bp.post("/instruments/<int:instrument_id>/duplicate")
@bp.output(InstrumentRevision, status_code=201)
def duplicate(instrument_id: int) -> Revision[Any]:
    document = opened(instrument_id)
    document.name = f"{document.name[:112]} copy"
    return created(document)


@bp.patch("/instruments/<int:instrument_id>/about")
@bp.input(s.InstrumentAbout, location="json")
@bp.output(s.InstrumentLine)
def about(instrument_id: int, json_data: s.InstrumentAbout) -> s.InstrumentLine:
    """Put an instrument into a collection, or tag it; how it sounds stays as it is."""
    row = found_instrument(instrument_id)
    for field, value in json_data.model_dump(exclude_none=True).items():
        setattr(row, field, value)
    database().commit()
    return s.InstrumentLine.of(row)


@bp.get("/instruments/<int:instrument_id>/sketch")
@bp.doc(responses={200: "a byte a band and column, highest band first", 404: "not made yet"})
def instrument_sketch(instrument_id: int) -> Response:
    """What the newest revision sounds like, small."""
    row = found_instrument(instrument_id)
    found = sketch_of(services().files, row.id, row.revision)
    if found is None:
        raise HTTPError(404, "This revision has not been listened to yet.")
    headers = {"X-Shape": ",".join(str(size) for size in found.shape)}
    return Response(found.tobytes(), mimetype="application/octet-stream", headers=headers)


@bp.post("/instruments/sketches")
@bp.input(s.SketchesIn, location="json")
@bp.output(s.SketchesState, status_code=202)
def sketch_instruments(json_data: s.SketchesIn) -> s.SketchesState:
    """Listen to the newest revisions of instruments where that has not been done."""
    files = services().files
    rows = [found_instrument(one) for one in json_data.instruments]
    missing = [
        {"instrument": row.id, "revision": row.revision, "document": row.content}
        for row in rows
        if sketch_of(files, row.id, row.revision) is None
    ]
    if not missing:
        return s.SketchesState(job=None)
    title = rows[0].name if len(missing) == 1 else f"{len(missing)} instruments"
    return s.SketchesState(job=services().jobs.submit("thumbnails", title, {}, as_file(missing)))


@bp.post("/instruments/<int:instrument_id>/render")
@bp.input(s.RenderIn, location="json")
@bp.output(s.JobStarted, status_code=202)
def render(instrument_id: int, json_data: s.RenderIn) -> s.JobStarted:
    """Render a note or a MIDI file, as a job."""
    row = found_instrument(instrument_id)
    return start_rendering(row, json_data, row.content)


def start_rendering(row: Document, asked: s.RenderIn, whole: dict[str, Any]) -> s.JobStarted:
    """Render an instrument or an ensemble, given as plain data with all that it plays."""
    title = asked.title.strip() or f"{row.name} render"
    params = {
        **asked.model_dump(exclude={"midi", "seed"}), "title": title, row.kind: row.id,
        "revision": row.revision,
    }  # fmt: skip
    if asked.seed is not None:
        whole = with_seed(parse_playable(whole), asked.seed).model_dump(mode="json")
    files = as_file(whole)
    if asked.midi is not None:
        files[MIDI] = asked.midi
    return s.JobStarted(job=services().jobs.submit("render", title, params, files))


@bp.post("/bundles")
@bp.input(s.UploadIn, location="query")
@bp.output(s.JobStarted, status_code=202)
@takes_body
def import_bundle(query_data: s.UploadIn) -> s.JobStarted:
    """Open a bundle, given as the request's body, as a job."""
    path, _ = receive(services().files, query_data.name)
    tuning = settings().tuning
    title = safe_title(query_data.name, "Bundle")
    params = {"path": path.name, "filename": query_data.name[-255:], "tuning": tuning}
    return s.JobStarted(job=services().jobs.submit("bundle", title, params))
