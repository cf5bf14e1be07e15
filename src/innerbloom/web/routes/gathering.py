"""Capturing from a microphone, and taking files off a recorder's card."""

from __future__ import annotations

import shutil
from pathlib import Path

from apiflask import APIBlueprint, HTTPError
from flask import request

from innerbloom.core.errors import BloomError
from innerbloom.core.sound.files import sound_info
from innerbloom.core.sound.metadata import Origin, read_origin
from innerbloom.core.sound.takes import read_take
from innerbloom.demo.card import make_card
from innerbloom.store.captures import MOST_S, Capture, Captures, OutOfStepError
from innerbloom.web import gathering_schemas as g
from innerbloom.web import schemas as s
from innerbloom.web.services import services, settings
from innerbloom.web.uploads import takes_body

bp = APIBlueprint("gathering", __name__, url_prefix="/api")


def _captures() -> Captures:
    return Captures(services().files)


def _out(capture: Capture) -> g.CaptureOut:
    return g.CaptureOut(**capture.__dict__, most_s=MOST_S)


@bp.get("/captures")
@bp.output(g.CaptureList)
def left_over() -> g.CaptureList:
    """Captures that were cut short and are still there."""
    return g.CaptureList(captures=[_out(one) for one in _captures().left_over()])


@bp.post("/captures")
@bp.input(g.CaptureIn, location="json")
@bp.output(g.CaptureOut, status_code=201)
def begin_capture(json_data: g.CaptureIn) -> g.CaptureOut:
    files = services().files
    files.room_for(round(4 * json_data.rate * json_data.channels * MOST_S))
    return _out(_captures().begin(json_data.rate, json_data.channels))


@bp.put("/captures/<capture_id>/<int:number>")
@bp.output(g.CaptureOut)
@takes_body
def append_piece(capture_id: str, number: int) -> g.CaptureOut:
    """Add a piece, given as the request's body: float32 samples, interleaved, little endian."""
    try:
        return _out(_captures().append(capture_id, number, request.get_data()))
    except OutOfStepError as error:
        raise HTTPError(409, str(error)) from error


@bp.post("/captures/<capture_id>/keep")
@bp.input(g.CaptureEnd, location="json")
@bp.output(s.JobStarted, status_code=202)
def keep_capture(capture_id: str, json_data: g.CaptureEnd) -> s.JobStarted:
    """Put a capture on the shelf as a recording."""
    files, captures = services().files, _captures()
    capture = captures.find(capture_id)
    name = json_data.name.strip() or "Capture"
    path = files.new_incoming("capture.wav")
    origin = Origin(title=name, notes=json_data.notes, date=capture.began[:10])
    try:
        captures.write(capture_id, path, origin, json_data.markers)
    except BaseException:
        path.unlink(missing_ok=True)
        raise
    job = _start_import(path, f"{name}.wav", {"captured": capture.began}, name)
    captures.forget(capture_id)
    return s.JobStarted(job=job)


@bp.delete("/captures/<capture_id>")
@bp.output({}, status_code=204)
def drop_capture(capture_id: str) -> str:
    """Throw a capture away."""
    _captures().forget(capture_id)
    return ""


def _start_import(path: Path, filename: str, lineage: dict[str, str], name: str = "") -> str:
    params = {
        "path": path.name,
        "filename": filename,
        "tuning": settings().tuning,
        "lineage": lineage,
        "name": name,
    }
    return services().jobs.submit("import", filename.rsplit(".", 1)[0], params)


@bp.get("/card")
@bp.output(g.Card)
def card() -> g.Card:
    """What is on the simulated recorder's card."""
    return _card()


def _card() -> g.Card:
    folder = services().files.card
    files = sorted(folder.glob("*.WAV")) if folder.is_dir() else []
    return g.Card(present=bool(files), files=[_card_file(path) for path in files])


def _card_file(path: Path) -> g.CardFile:
    try:
        info = sound_info(path)
    except BloomError as error:
        return g.CardFile(name=path.name, problem=str(error))
    take, origin = read_take(path), read_origin(path)
    return g.CardFile(
        name=path.name, scene=take.scene, take=take.take, note=take.note or origin.notes,
        place=take.place, date=origin.date, recordist=origin.recordist,
        timecode=take.timecode(info.rate), duration_s=info.seconds, rate=info.rate,
        channels=info.channels, markers=len(take.markers),
    )  # fmt: skip


@bp.post("/card")
@bp.output(g.Card)
def put_card_in() -> g.Card:
    """Put the simulated card in: it ships with the application."""
    make_card(services().files.card)
    return _card()


@bp.post("/card/import")
@bp.input(g.CardImport, location="json")
@bp.output(g.CardImported, status_code=202)
def import_from_card(json_data: g.CardImport) -> g.CardImported:
    """Take files off the card; each is copied and measured by a job of its own."""
    files = services().files
    jobs, problems = [], []
    for name in json_data.names:
        source = files.card / Path(name).name
        if not source.is_file():
            problems.append(f"There is no file '{Path(name).name}' on the card.")
            continue
        path = files.new_incoming(name)
        shutil.copyfile(source, path)
        jobs.append(_start_import(path, source.name, {"card": source.name}))
    return g.CardImported(jobs=jobs, problems=problems)
