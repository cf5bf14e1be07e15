"""Wavetables on the Bench, over HTTP: made, edited, looked at, kept, written."""

from __future__ import annotations

import base64
from typing import Any

import numpy as np
from apiflask import APIBlueprint, HTTPError

from innerbloom.core.declare.sound import MAX_STRETCH_S
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.auditions import audition_table
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.materials.wavetable import declare
from innerbloom.core.materials.wavetable.document import KIND as WAVETABLE
from innerbloom.core.materials.wavetable.document import (
    Arrange,
    TableDocument,
    parse_table,
    sounds_in,
)
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
from innerbloom.jobs.kind import as_file
from innerbloom.store import documents, recordings
from innerbloom.store.models import Document
from innerbloom.store.tables import Made, TableStore
from innerbloom.web import schemas as s
from innerbloom.web import table_schemas as ts
from innerbloom.web.revised import Revision, add_revisions, answer_model, revision_of
from innerbloom.web.routes.recordings import found_recording
from innerbloom.web.services import database, services, settings

bp = APIBlueprint("tables", __name__, url_prefix="/api")

_PICTURE_COLUMNS = 256
_FRAME_COLUMNS = 512
_QUIETEST_DB = -120.0


def _store() -> TableStore:
    return TableStore(services().files, settings().tuning)


def found_table(recording_id: int) -> Document:
    row = found_recording(recording_id)
    if row.kind != WAVETABLE.id:
        raise HTTPError(404, f"'{row.name}' is no wavetable.")
    return documents.at_bench(database(), row)


def _document(recording_id: int) -> TableDocument:
    return parse_table(found_table(recording_id).content)


add_revisions(bp, "/recordings/<int:recording_id>/table", WAVETABLE, found_table)


@bp.post("/recordings/<int:recording_id>/table/make")
@bp.output(ts.TableAnswer)
def make_table(recording_id: int) -> ts.TableAnswer:
    """The table as its recipe is now: at once where it is at hand or quickly made, else a job."""
    store, document = _store(), _document(recording_id)
    made = store.find(document)
    if made is None and store.is_quick(document):
        made = store.make(document)
    if made is None:
        return ts.TableAnswer(made=None, job=_start(document, None))
    return ts.TableAnswer(made=_made(made), job=None)


def _made(made: Made) -> ts.TableMade:
    told, seconds = made.retraced, made.table.seconds
    return ts.TableMade(
        key=made.key, frames=len(made.table), by=made.by, swept=made.swept,
        retraced=None if told is None else ts.RetracedOut(**told.__dict__),
        seconds=None if seconds is None else seconds.round(5).tolist(),
    )  # fmt: skip


def _start(document: TableDocument, origin: dict[str, str] | None) -> str:
    params = {"tuning": settings().tuning, "origin": origin}
    files = as_file(document.model_dump(mode="json"))
    return services().jobs.submit("table", document.name, params, files)


def _origin(document: TableDocument) -> dict[str, str]:
    """Notes and credits of what a table is taken from."""
    used = [one.recording for one in sounds_in(document) if one.recording]
    rows = (recordings.with_digest(database(), digest) for digest in used)
    return recordings.origin_of(next((row for row in rows if row is not None), None))


@bp.get("/recordings/<int:recording_id>/table/audition")
@bp.input(ts.AuditionAsked, location="query")
@bp.output(Instrument)
def audition(recording_id: int, query_data: ts.AuditionAsked) -> Instrument:
    """An instrument that plays the table as its recipe is now."""
    document = _document(recording_id)
    return audition_table(document.name, _store().key(document), query_data.place)


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
    document = parse_table(json_data.document) if json_data.document else _asked(json_data)
    return s.JobStarted(job=_start(document, _origin(document)))


def _asked(asked: ts.NewTable) -> TableDocument:
    if not asked.recordings:
        raise BloomError("Choose a recording to take frames from, or give a recipe.")
    rows = [found_recording(one) for one in asked.recordings]
    name = asked.name or f"{rows[0].name[:108]}, wavetable"
    source: dict[str, Any]
    if asked.cycles:
        sounds = [{"recording": row.digest, "name": row.name, "cycle": asked.cycle} for row in rows]
        source = {"kind": "cycles", "sounds": sounds}
    else:
        source = {"kind": "recording", "sound": {"recording": rows[0].digest, "name": rows[0].name}}
    return parse_table({"name": name, "source": source})


@bp.post("/recordings/<int:recording_id>/table/keep")
@bp.input(ts.KeepTable, location="json")
@bp.output(s.JobStarted, status_code=202)
def keep_table(recording_id: int, json_data: ts.KeepTable) -> s.JobStarted:
    """Put the table as it is now on the shelf, beside the one it began as."""
    document = _document(recording_id)
    named = document.model_copy(update={"name": json_data.name})
    return s.JobStarted(job=_start(named, _origin(named)))


@bp.post("/recordings/<int:recording_id>/table/split")
@bp.input(ts.SplitTable, location="json")
@bp.output(answer_model(WAVETABLE))
def split_table(recording_id: int, json_data: ts.SplitTable) -> Revision[Any]:
    """Keep what lies before a frame here; the rest becomes a table of its own, as a job."""
    row = found_table(recording_id)
    document = parse_table(row.content)
    frames = len(_store().make(document).table)
    if json_data.at >= frames:
        raise BloomError(f"There is nothing after frame {json_data.at}: split earlier.")
    first, rest = (
        document.model_copy(update={"steps": [*document.steps, Arrange(frames=list(kept))]})
        for kept in (range(json_data.at), range(json_data.at, frames))
    )
    documents.replace(database(), row, json_data.revision, first, "Split")
    rest = rest.model_copy(update={"name": f"{document.name[:110]}, rest"})
    _start(rest, _origin(rest))
    return revision_of(row)


def _with_key(key: str) -> Made:
    found = _store().with_key(key)
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


@bp.get("/recordings/<int:recording_id>/cycles")
@bp.output(ts.LayoutOut)
def cycles(recording_id: int) -> ts.LayoutOut:
    """How long the cycles of a recording are, where it is a wavetable from elsewhere."""
    row = found_recording(recording_id)
    found = layout_of(services().files.readable(row.digest), row.filename)
    return ts.LayoutOut(**found.__dict__)
