"""Instruments over HTTP."""

from __future__ import annotations

import tempfile
from pathlib import Path

import jsonpatch
from apiflask import APIBlueprint, HTTPError
from flask import Response, send_file
from sqlalchemy.orm import Session

from innerbloom.core.deliver.bundle import write_bundle
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.core.instrument.history import completed
from innerbloom.store import instruments
from innerbloom.store.files import safe_title
from innerbloom.store.models import InstrumentRow
from innerbloom.store.settings import read_settings
from innerbloom.web import schemas as s
from innerbloom.web.services import database, services
from innerbloom.web.uploads import receive

bp = APIBlueprint("instruments", __name__, url_prefix="/api")


def found_instrument(db: Session, instrument_id: int, *, deleted: bool = False) -> InstrumentRow:
    row = db.get(InstrumentRow, instrument_id)
    if row is None or (row.deleted is not None and not deleted):
        raise HTTPError(404, "This instrument does not exist or was deleted.")
    return row


def instrument_out(db: Session, row: InstrumentRow) -> s.InstrumentOut:
    ways = instruments.ways(db, row)
    return s.InstrumentOut(
        id=row.id, name=row.name, revision=row.revision, changed=row.changed,
        document=completed(row.document), undo=ways.undo, redo=ways.redo,
    )  # fmt: skip


def store_change(
    db: Session, row: InstrumentRow, revision: int, changed: Instrument, label: str
) -> s.InstrumentOut:
    """Store a changed document as a revision."""
    patch = list(jsonpatch.make_patch(completed(row.document), changed.model_dump(mode="json")))
    instruments.edit(db, row, revision, patch, label)
    return instrument_out(db, row)


@bp.get("/instruments")
@bp.output(s.InstrumentList)
def list_instruments() -> s.InstrumentList:
    with database() as db:
        return s.InstrumentList(
            instruments=[s.InstrumentLine.of(row) for row in instruments.listed(db)]
        )


@bp.get("/instruments/<int:instrument_id>")
@bp.output(s.InstrumentOut)
def get_instrument(instrument_id: int) -> s.InstrumentOut:
    with database() as db:
        return instrument_out(db, found_instrument(db, instrument_id))


@bp.patch("/instruments/<int:instrument_id>")
@bp.input(s.EditIn, location="json")
@bp.output(s.InstrumentOut)
def edit_instrument(instrument_id: int, json_data: s.EditIn) -> s.InstrumentOut:
    """Store a change, as a JSON Patch (RFC 6902) on the newest revision."""
    with database() as db:
        row = found_instrument(db, instrument_id)
        instruments.edit(db, row, json_data.revision, json_data.patch, json_data.label)
        return instrument_out(db, row)


@bp.post("/instruments/<int:instrument_id>/<any(undo, redo):way>")
@bp.input(s.RevisionIn, location="json")
@bp.output(s.InstrumentOut)
def step(instrument_id: int, way: instruments.Way, json_data: s.RevisionIn) -> s.InstrumentOut:
    """Take the last change back, or make it again."""
    with database() as db:
        row = found_instrument(db, instrument_id)
        instruments.step(db, row, json_data.revision, way)
        return instrument_out(db, row)


@bp.post("/instruments/<int:instrument_id>/duplicate")
@bp.output(s.InstrumentOut, status_code=201)
def duplicate(instrument_id: int) -> s.InstrumentOut:
    with database() as db:
        document = parse_instrument(found_instrument(db, instrument_id).document)
        document.name = f"{document.name[:112]} copy"
        return instrument_out(db, instruments.create(db, document))


@bp.delete("/instruments/<int:instrument_id>")
@bp.output({}, status_code=204)
def delete_instrument(instrument_id: int) -> str:
    with database() as db:
        instruments.set_deleted(db, found_instrument(db, instrument_id), True)
    return ""


@bp.post("/instruments/<int:instrument_id>/restore")
@bp.output(s.InstrumentOut)
def restore_instrument(instrument_id: int) -> s.InstrumentOut:
    with database() as db:
        row = found_instrument(db, instrument_id, deleted=True)
        instruments.set_deleted(db, row, False)
        return instrument_out(db, row)


@bp.post("/instruments/<int:instrument_id>/render")
@bp.input(s.RenderIn, location="json")
@bp.output(s.JobStarted, status_code=202)
def render(instrument_id: int, json_data: s.RenderIn) -> s.JobStarted:
    """Render a note or a MIDI file, as a job."""
    with database() as db:
        row = found_instrument(db, instrument_id)
        title = json_data.title.strip() or f"{row.name} render"
        params = {
            **json_data.model_dump(), "document": row.document, "title": title,
            "instrument": row.id, "revision": row.revision,
        }  # fmt: skip
    return s.JobStarted(job=services().jobs.submit("render", title, params))


@bp.get("/instruments/<int:instrument_id>/bundle")
@bp.doc(responses={200: "a zip with the document and its recordings as FLAC"})
def export_bundle(instrument_id: int) -> Response:
    with database() as db:
        row = found_instrument(db, instrument_id)
        document, name = parse_instrument(row.document), safe_title(row.name, "Instrument")
    files = services().files
    with tempfile.TemporaryDirectory(dir=files.incoming) as folder:
        path = Path(folder) / "bundle.zip"
        write_bundle(document, files.locate, path)
        # the open file outlives its name
        return send_file(
            path.open("rb"), "application/zip", as_attachment=True, download_name=f"{name}.zip"
        )


@bp.post("/bundles")
@bp.input(s.UploadIn, location="query")
@bp.output(s.JobStarted, status_code=202)
def import_bundle(query_data: s.UploadIn) -> s.JobStarted:
    """Open a bundle, given as the request's body, as a job."""
    path, _ = receive(services().files, query_data.name)
    with database() as db:
        tuning = read_settings(db).tuning
    title = safe_title(query_data.name, "Bundle")
    params = {"path": path.name, "filename": query_data.name[-255:], "tuning": tuning}
    return s.JobStarted(job=services().jobs.submit("bundle", title, params))
