"""Swap sheets over HTTP: the same instrument over other recordings, heard and kept."""

from __future__ import annotations

from typing import Any

from apiflask import APIBlueprint, HTTPError
from flask import Response, send_file

from innerbloom.core.instrument.document import KIND as INSTRUMENT
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.names import numbered
from innerbloom.jobs.kind import as_file
from innerbloom.store import documents
from innerbloom.store.models import Recording
from innerbloom.store.recordings import sound_of
from innerbloom.store.swap_folders import SwapFolders
from innerbloom.web import swap_schemas as ss
from innerbloom.web.revised import Revision, answer_model, revision_of
from innerbloom.web.routes.instruments import found_instrument
from innerbloom.web.routes.recordings import found_recording
from innerbloom.web.schemas import JobStarted
from innerbloom.web.services import database, services, settings

bp = APIBlueprint("swaps", __name__, url_prefix="/api")

_NO_RECORDINGS = ("wavetable", "spectrum")
InstrumentRevision = answer_model(INSTRUMENT)


def folders() -> SwapFolders:
    return SwapFolders(services().files)


@bp.post("/instruments/<int:instrument_id>/swap")
@bp.input(ss.SwapIn, location="json")
@bp.output(JobStarted, status_code=202)
def swap(instrument_id: int, json_data: ss.SwapIn) -> JobStarted:
    """Try the instrument on other recordings, as a job whose result is a sheet."""
    row = found_instrument(instrument_id)
    rows = [found_recording(one) for one in dict.fromkeys(json_data.recordings)]
    fit = [one for one in rows if one.kind not in _NO_RECORDINGS]
    problems = [
        f"'{one.name}' is no recording: it was not tried." for one in rows if one not in fit
    ]
    if not fit:
        raise HTTPError(409, "Wavetables and spectra are not tried on: choose recordings.")
    candidates = [_candidate(one) for one in fit]
    files = as_file({"instrument": row.content, "candidates": candidates, "problems": problems})
    params = {"instrument": row.id, "name": row.name, "key": json_data.key,
              "seconds": json_data.seconds, "scheduler": settings().scheduler}  # fmt: skip
    return JobStarted(job=services().jobs.submit("swap", row.name, params, files))


def _candidate(row: Recording) -> dict[str, Any]:
    sound, _ = sound_of(row)
    return {"digest": row.digest, "name": row.name, "root": sound.root}


@bp.get("/instruments/<int:instrument_id>/swap")
@bp.output(ss.SheetOut)
def newest(instrument_id: int) -> ss.SheetOut:
    """The sheet of this instrument that was made last."""
    row = found_instrument(instrument_id)
    sheet = folders().newest(row.id)
    return ss.SheetOut(sheet=sheet, found=None if sheet is None else folders().read(sheet))


@bp.get("/swaps/<string(length=32):sheet>/<int:number>")
@bp.doc(responses={200: "a float WAV"})
def sound(sheet: str, number: int) -> Response:
    return send_file(folders().sound(sheet, number), "audio/wav")


@bp.post("/swaps/<string(length=32):sheet>/<int:number>/keep")
@bp.output(InstrumentRevision, status_code=201)
def keep(sheet: str, number: int) -> Revision[Any]:
    """Keep one of a sheet as an instrument of its own."""
    made = parse_instrument(folders().instrument(sheet, number))
    found = folders().read(sheet)
    over = next(one.name for one in found.rows if one.number == number)
    taken = [row.name for row in documents.listed(database(), INSTRUMENT)]
    made.name = numbered(f"{found.name}, {over}"[:120], taken)
    return revision_of(documents.create(database(), INSTRUMENT, made))
