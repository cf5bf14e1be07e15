"""Wavetables on the Bench, over HTTP: made, edited, looked at, kept, written."""

from __future__ import annotations

import base64
from typing import Any

import numpy as np
from apiflask import APIBlueprint, HTTPError
from flask import Response, json, send_file
from sqlalchemy.orm import Session

from innerbloom.core.declare.sound import MAX_STRETCH_S
from innerbloom.core.errors import BloomError
from innerbloom.core.materials.wavetable import declare
from innerbloom.core.materials.wavetable.document import (
    Arrange,
    TableDocument,
    parse_table,
    sounds_in,
)
from innerbloom.core.materials.wavetable.files import file_name
from innerbloom.core.materials.wavetable.guess import layout_of
from innerbloom.core.materials.wavetable.shape import from_cycles
from innerbloom.core.materials.wavetable.table import (
    CYCLE,
    Spectra,
    rms_of,
    to_full_scale,
    waves_of,
)
from innerbloom.core.sound.files import read_stretch
from innerbloom.store import recordings, sheets
from innerbloom.store.instruments import Way
from innerbloom.store.models import Recording, Sheet
from innerbloom.store.settings import read_settings
from innerbloom.store.tables import Made, TableStore
from innerbloom.web import schemas as s
from innerbloom.web import table_schemas as ts
from innerbloom.web.routes.recordings import found_recording
from innerbloom.web.services import database, services

bp = APIBlueprint("tables", __name__, url_prefix="/api")

_PICTURE_COLUMNS = 256
_FRAME_COLUMNS = 512
_QUIETEST_DB = -120.0


def _store(db: Session) -> TableStore:
    return TableStore(services().files, read_settings(db).tuning)


def _sheet(db: Session, recording_id: int) -> Sheet:
    row = found_recording(db, recording_id)
    if row.kind != "wavetable":
        raise HTTPError(404, f"'{row.name}' is no wavetable.")
    return sheets.opened(db, row)


def _document(sheet: Sheet) -> TableDocument:
    return parse_table(sheet.steps[0])


def _out(db: Session, sheet: Sheet) -> ts.TableOut:
    """The state of the work; what is quickly made is made now, the rest by a job."""
    store, document, ways = _store(db), _document(sheet), sheets.ways(db, sheet)
    made, job, problem = store.find(document), None, ""
    try:
        if made is None and store.is_quick(document):
            made = store.make(document)
    except BloomError as error:
        problem = str(error)
    if made is None and not problem:
        job = _start(db, document, None)
    return ts.TableOut(
        recording=sheet.recording_id, revision=sheet.revision,
        document=document.model_dump(mode="json"), undo=ways.undo, redo=ways.redo,
        made=None if made is None else _made(made), job=job, problem=problem,
    )  # fmt: skip


def _made(made: Made) -> ts.TableMade:
    told, seconds = made.retraced, made.table.seconds
    return ts.TableMade(
        key=made.key, frames=len(made.table), by=made.by, swept=made.swept,
        retraced=None if told is None else ts.RetracedOut(**told.__dict__),
        seconds=None if seconds is None else seconds.round(5).tolist(),
    )  # fmt: skip


def _start(db: Session, document: TableDocument, origin: dict[str, str] | None) -> str:
    params = {
        "document": document.model_dump(mode="json"), "tuning": read_settings(db).tuning,
        "origin": origin,
    }  # fmt: skip
    return services().jobs.submit("table", document.name, params)


def _origin(db: Session, document: TableDocument) -> dict[str, str]:
    """Notes and credits of what a table is taken from."""
    rows = [
        recordings.with_digest(db, one.recording) for one in sounds_in(document) if one.recording
    ]
    first = next((row for row in rows if row is not None), None)
    fields = ("notes", "recordist", "licence", "date")
    return {field: getattr(first, field) if first else "" for field in fields}


@bp.get("/tables/words")
@bp.output(ts.TableWords)
def words() -> ts.TableWords:
    """Every setting of a recipe, as it is declared."""
    return ts.TableWords(
        recording=list(declare.RECORDING), waves=list(declare.WAVES),
        operator=list(declare.OPERATOR), cycle=CYCLE,
        steps=[
            ts.TableStepKind(id=id_, name=name, help=help_, parameters=list(parameters))
            for id_, (name, help_, parameters) in declare.STEPS.items()
        ],
    )  # fmt: skip


@bp.post("/tables")
@bp.input(ts.NewTable, location="json")
@bp.output(s.JobStarted, status_code=202)
def new_table(json_data: ts.NewTable) -> s.JobStarted:
    """Make a wavetable and put it on the shelf, as a job."""
    with database() as db:
        document = parse_table(json_data.document) if json_data.document else _asked(db, json_data)
        return s.JobStarted(job=_start(db, document, _origin(db, document)))


def _asked(db: Session, asked: ts.NewTable) -> TableDocument:
    if not asked.recordings:
        raise BloomError("Choose a recording to take frames from, or give a recipe.")
    rows = [found_recording(db, one) for one in asked.recordings]
    name = asked.name or f"{rows[0].name[:108]}, wavetable"
    source: dict[str, Any]
    if asked.cycles:
        sounds = [{"recording": row.digest, "name": row.name, "cycle": asked.cycle} for row in rows]
        source = {"kind": "cycles", "sounds": sounds}
    else:
        source = {"kind": "recording", "sound": {"recording": rows[0].digest, "name": rows[0].name}}
    return parse_table({"name": name, "source": source})


@bp.get("/recordings/<int:recording_id>/table")
@bp.output(ts.TableOut)
def get_table(recording_id: int) -> ts.TableOut:
    with database() as db:
        return _out(db, _sheet(db, recording_id))


@bp.patch("/recordings/<int:recording_id>/table")
@bp.input(ts.TableEdit, location="json")
@bp.output(ts.TableOut)
def edit_table(recording_id: int, json_data: ts.TableEdit) -> ts.TableOut:
    """Store another recipe as a revision."""
    with database() as db:
        sheet = _sheet(db, recording_id)
        sheets.edit(db, sheet, json_data.revision, [_as_table(json_data.document)], json_data.label)
        return _out(db, sheet)


def _as_table(plain: dict[str, Any]) -> dict[str, Any]:
    return parse_table(plain).model_dump(mode="json")


@bp.post("/recordings/<int:recording_id>/table/<any(undo, redo):way>")
@bp.input(s.RevisionIn, location="json")
@bp.output(ts.TableOut)
def step_table(recording_id: int, way: Way, json_data: s.RevisionIn) -> ts.TableOut:
    with database() as db:
        sheet = _sheet(db, recording_id)
        sheets.step(db, sheet, json_data.revision, way)
        return _out(db, sheet)


@bp.post("/recordings/<int:recording_id>/table/keep")
@bp.input(ts.KeepTable, location="json")
@bp.output(s.JobStarted, status_code=202)
def keep_table(recording_id: int, json_data: ts.KeepTable) -> s.JobStarted:
    """Put the table as it is now on the shelf, beside the one it began as."""
    with database() as db:
        document = _document(_sheet(db, recording_id))
        named = document.model_copy(update={"name": json_data.name})
        return s.JobStarted(job=_start(db, named, _origin(db, named)))


@bp.post("/recordings/<int:recording_id>/table/split")
@bp.input(ts.SplitTable, location="json")
@bp.output(ts.TableOut)
def split_table(recording_id: int, json_data: ts.SplitTable) -> ts.TableOut:
    """Keep what lies before a frame here; the rest becomes a table of its own, as a job."""
    with database() as db:
        sheet = _sheet(db, recording_id)
        document = _document(sheet)
        frames = len(_store(db).make(document).table)
        if json_data.at >= frames:
            raise BloomError(f"There is nothing after frame {json_data.at}: split earlier.")
        first, rest = (
            document.model_copy(update={"steps": [*document.steps, Arrange(frames=list(kept))]})
            for kept in (range(json_data.at), range(json_data.at, frames))
        )
        rest = rest.model_copy(update={"name": f"{document.name[:110]}, rest"})
        _start(db, rest, _origin(db, rest))
        plain = first.model_dump(mode="json")
        sheets.edit(db, sheet, sheet.revision, [plain], "Split")
        return _out(db, sheet)


def _with_key(key: str) -> Made:
    with database() as db:
        found = _store(db).with_key(key)
    if found is None:
        raise HTTPError(404, "This table is not at hand: open it again.")
    return found


@bp.get("/tables/<string(length=64):key>/picture")
@bp.output(ts.TablePicture)
def picture(key: str) -> ts.TablePicture:
    """The whole table, frame by frame."""
    return _picture(_with_key(key).table.spectra)


@bp.get("/sounds/<string(length=64):digest>/cycles/<int:cycle>")
@bp.output(ts.TablePicture)
def sound_picture(digest: str, cycle: int) -> ts.TablePicture:
    """A file of cycles, as a wave layer reads it."""
    path = services().files.readable(digest)
    samples, _ = read_stretch(path, 0.0, None, MAX_STRETCH_S)
    return _picture(to_full_scale(from_cycles([(samples, cycle)])).spectra)


def _picture(spectra: Spectra) -> ts.TablePicture:
    waves = waves_of(spectra, _PICTURE_COLUMNS)
    peak = max(float(np.abs(waves).max()), 1e-9)
    levels = 20.0 * np.log10(np.maximum(rms_of(spectra), 1e-6))
    return ts.TablePicture(
        frames=len(spectra), columns=_PICTURE_COLUMNS, levels=levels.round(2).tolist(),
        ink=base64.b64encode(np.round(127.0 * waves / peak).astype(np.int8).tobytes()).decode(),
    )  # fmt: skip


@bp.get("/tables/<string(length=64):key>/frames/<int:number>")
@bp.output(ts.FrameOut)
def frame(key: str, number: int) -> ts.FrameOut:
    table = _with_key(key).table
    if number >= len(table):
        raise HTTPError(404, f"The table has {len(table)} frames.")
    spectrum = table.spectra[number : number + 1]
    levels = 20.0 * np.log10(np.maximum(np.abs(spectrum[0]), 10.0 ** (_QUIETEST_DB / 20.0)))
    return ts.FrameOut(
        wave=waves_of(spectrum, _FRAME_COLUMNS)[0].round(4).tolist(),
        levels=levels.round(2).tolist(),
    )


@bp.get("/recordings/<int:recording_id>/table/file")
@bp.doc(responses={200: "the table as a WAV file"})
def table_file(recording_id: int) -> Response:
    """The table as it is now, as a WAV file that says how long its frames are."""
    with database() as db:
        document = _document(_sheet(db, recording_id))
        made = _store(db).make(document)
    path = services().files.readable(made.key)
    return send_file(path, as_attachment=True, download_name=file_name(document.name))


@bp.get("/recordings/<int:recording_id>/table/recipe")
@bp.doc(responses={200: "the recipe as a JSON file"})
def table_recipe(recording_id: int) -> Response:
    with database() as db:
        plain = _document(_sheet(db, recording_id)).model_dump(mode="json")
    headers = {"Content-Disposition": 'attachment; filename="wavetable.json"'}
    return Response(json.dumps(plain, indent=2), mimetype="application/json", headers=headers)


@bp.get("/recordings/<int:recording_id>/cycles")
@bp.output(ts.LayoutOut)
def cycles(recording_id: int) -> ts.LayoutOut:
    """How long the cycles of a recording are, where it is a wavetable from elsewhere."""
    with database() as db:
        row: Recording = found_recording(db, recording_id)
    found = layout_of(services().files.readable(row.digest), row.filename)
    return ts.LayoutOut(**found.__dict__)
