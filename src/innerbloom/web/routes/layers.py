"""Building, varying and portraying instruments over HTTP."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from apiflask import APIBlueprint, HTTPError
from flask import Response
from sqlalchemy import select

from innerbloom.core.analysis.opening import opening_of
from innerbloom.core.declare.revisions import difference
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument import chains, layering
from innerbloom.core.instrument.catalogue import LAYER_KINDS
from innerbloom.core.instrument.document import Instrument, Scala, parse_instrument
from innerbloom.core.instrument.grow import cloud_settings, evened
from innerbloom.core.instrument.resembling import in_its_own_voice, resemble
from innerbloom.core.instrument.vary import Range, differences, ranges_around, vary
from innerbloom.core.performance.scala import key_offsets, read_mapping, read_scale
from innerbloom.jobs.kind import as_file
from innerbloom.jobs.portraying import Portrait, portrait_in
from innerbloom.jobs.sketching import SKETCHES
from innerbloom.store.models import Document, JobRow
from innerbloom.store.recordings import sound_of
from innerbloom.store.standing_in import stand_ins
from innerbloom.web import layer_schemas as ls
from innerbloom.web import schemas as s
from innerbloom.web.revised import Revision
from innerbloom.web.routes.instruments import (
    InstrumentRevision,
    found_instrument,
    opened,
    store_change,
)
from innerbloom.web.routes.recordings import found_recording
from innerbloom.web.services import database, services

bp = APIBlueprint("layers", __name__, url_prefix="/api")


@bp.post("/instruments/<int:instrument_id>/layers")
@bp.input(ls.ActionIn, location="json")
@bp.output(InstrumentRevision)
def act(instrument_id: int, json_data: ls.ActionIn) -> Revision[Any]:
    """Add, copy, move or remove a layer, or change which sounds it has, as one revision."""
    action = json_data.action
    row = found_instrument(instrument_id)
    document = parse_instrument(row.content)
    label, change = _change(document, action)
    return store_change(row, action.revision, change(), label)


def _change(document: Instrument, action: ls.LayerAction) -> tuple[str, Callable[[], Instrument]]:
    """The label of an action, and what makes the changed document."""
    match action:
        case ls.AddLayer():
            return "Add a layer", lambda: _added(document, action)
        case ls.AddClick():
            return "Add a click", lambda: layering.add_click(document)
        case ls.AddTuned():
            return "Add a tuned wave", lambda: layering.add_tuned_wave(
                document, action.layer, action.shape, action.octave
            )
        case ls.Duplicate(do="duplicate"):
            return "Duplicate a layer", lambda: layering.duplicate_layer(document, action.layer)
        case ls.Duplicate():
            return "Remove a layer", lambda: layering.remove_layer(document, action.layer)
        case ls.MoveLayer():
            return "Move a layer", lambda: layering.move_layer(document, action.layer, action.to)
        case _:
            return _change_sounds(document, action)


def _change_sounds(
    document: Instrument, action: ls.LayerAction
) -> tuple[str, Callable[[], Instrument]]:
    """The same for what changes which sounds a layer has."""
    match action:
        case ls.SwapSound():
            sound, loop = sound_of(found_recording(action.recording))
            return "Swap a sound", lambda: layering.swap_sound(
                document, action.layer, action.which, sound, loop
            )
        case ls.AddSounds():
            some = [sound_of(found_recording(one))[0] for one in action.recordings]
            label = "Add a sound" if len(some) == 1 else f"Add {len(some)} sounds"
            return label, lambda: layering.add_sounds(document, action.layer, some)
        case ls.SwapAll():
            row = found_recording(action.recording)
            return f"Swap all for {row.name}"[:120], lambda: layering.swap_all(
                document, stand_ins(database(), services().files, row)
            )
        case ls.AddPrint():
            row = found_recording(action.recording)
            printed, loop = sound_of(row)
            # a loop that was found lets the note be held for as long as one likes
            settings = {} if loop else {"loop": "off"}
            return "Print a note", lambda: layering.add_layer(
                document, "loop", name=row.name, sound=printed, loop=loop, settings=settings
            )
        case ls.RemoveSound():
            return "Remove a sound", lambda: layering.remove_sound(
                document, action.layer, action.which
            )
        case ls.MoveSound():
            return "Move a sound", lambda: layering.move_sound(
                document, action.layer, action.which, action.to
            )
        case ls.Spread():
            return "Spread the sounds", lambda: layering.spread_sounds(
                document, action.layer, action.by
            )
        case _:
            return _change_voice(document, action)


def _change_voice(
    document: Instrument, action: ls.LayerAction
) -> tuple[str, Callable[[], Instrument]]:
    """The same for what colours a layer, or lets it speak as another."""
    match action:
        case ls.Colour(recording=None):
            return "Take the colouring away", lambda: chains.colour(document, action.layer, None)
        case ls.Colour():
            assert action.recording is not None
            lent, _ = sound_of(found_recording(action.recording))
            return "Colour a layer", lambda: chains.colour(document, action.layer, lent)
        case ls.Resemble(other=None):
            return "Speak as itself", lambda: in_its_own_voice(document, action.layer)
        case ls.Resemble(other=other):
            assert other is not None
            return "Speak in its voice", lambda: resemble(document, action.layer, other)
        case _:
            raise BloomError("This is nothing that can be done to a layer.")


def _added(document: Instrument, action: ls.AddLayer) -> Instrument:
    kind = LAYER_KINDS.get(action.kind)
    choices = [choice for choice, _ in kind.with_sound] if kind is not None else []
    settings: dict[str, Any] = {choices[0]: action.shape} if choices and action.shape else {}
    if action.recording is None:
        name = f"{action.shape or action.kind} {action.kind if action.shape else ''}".strip()
        return layering.add_layer(document, action.kind, name=name.capitalize(), settings=settings)
    row = found_recording(action.recording)
    sound, loop = sound_of(row)
    if action.kind == "cloud" and sound.start == 0.0 and sound.length is None:
        opening = opening_of(services().files.readable(row.digest))
        settings |= cloud_settings(opening, row.measured["duration_s"])
        sound = evened(sound, opening)
    return layering.add_layer(
        document, action.kind, name=row.name, sound=sound, loop=loop, settings=settings
    )


@bp.post("/instruments/<int:instrument_id>/variants")
@bp.input(ls.VariantsIn, location="json")
@bp.output(ls.VariantList)
def variants(instrument_id: int, json_data: ls.VariantsIn) -> ls.VariantList:
    """Variants of the newest revision, each with the patch that would keep it."""
    document = opened(instrument_id)
    asked = [Range(**one.model_dump()) for one in json_data.ranges]
    ranges = asked or ranges_around(document, json_data.groups, json_data.amount, json_data.layers)
    plain = document.model_dump(mode="json")
    made = []
    for number in range(json_data.count):
        changed = vary(document, ranges, json_data.seed + number)
        patch = difference(plain, changed.model_dump(mode="json"))
        words = differences(document, changed)
        made.append(ls.VariantOut(document=changed, patch=patch, words=words))
    documents = [plain, *(one.document.model_dump(mode="json") for one in made)]
    job = services().jobs.submit(
        "sketch", document.name, {"key": json_data.key}, as_file(documents)
    )
    return ls.VariantList(
        ranges=[ls.VariedRange(**one.__dict__) for one in ranges], variants=made, job=job
    )


@bp.get("/sketches/<job_id>")
@bp.doc(responses={200: "a byte a band and column, highest band first, one sketch after another"})
def sketches(job_id: str) -> Response:
    """The sketches of a job: the present state first, then each variant."""
    path = services().jobs.folder(job_id) / SKETCHES
    if not job_id.isalnum() or not path.is_file():
        raise HTTPError(404, "These sketches are gone: roll again.")
    found = np.load(path)
    count, rows, columns = found.shape
    headers = {"X-Shape": f"{count},{rows},{columns}"}
    return Response(found.tobytes(), mimetype="application/octet-stream", headers=headers)


@bp.get("/instruments/<int:instrument_id>/portrait")
@bp.output(ls.PortraitState)
def portrait(instrument_id: int) -> ls.PortraitState:
    """The portrait of the newest revision, or the job that makes it."""
    row = found_instrument(instrument_id)
    found = _portrait_job(row)
    if found is None:
        return ls.PortraitState(job=None, keys=None)
    made = _made(found)
    if made is None:
        return ls.PortraitState(job=found.id, keys=None)
    return ls.PortraitState(job=found.id, keys=made.keys, held=made.held)


@bp.post("/instruments/<int:instrument_id>/portrait")
@bp.output(s.JobStarted, status_code=202)
def make_portrait(instrument_id: int) -> s.JobStarted:
    """Measure every key of the newest revision, as a job; one made before is not made again."""
    row = found_instrument(instrument_id)
    found = _portrait_job(row)
    params = {"instrument": row.id, "revision": row.revision}
    title = row.name
    if found is not None and (found.state == "queued" or _made(found) is not None):
        return s.JobStarted(job=found.id)
    return s.JobStarted(job=services().jobs.submit("portrait", title, params, as_file(row.content)))


def _made(job: JobRow) -> Portrait | None:
    return portrait_in(services().jobs.folder(job.id))


def _portrait_job(row: Document) -> JobRow | None:
    """The newest portrait of this revision that was not given up."""
    statement = select(JobRow).where(JobRow.kind == "portrait").order_by(JobRow.created.desc())
    return next(
        (
            job
            for job in database().scalars(statement)
            if job.state in ("queued", "done")
            and (job.params["instrument"], job.params["revision"]) == (row.id, row.revision)
        ),
        None,
    )


@bp.put("/instruments/<int:instrument_id>/tuning")
@bp.input(ls.TuningIn, location="json")
@bp.output(InstrumentRevision)
def tune(instrument_id: int, json_data: ls.TuningIn) -> Revision[Any]:
    """Tune the keys by a Scala scale and, if given, a keyboard mapping."""
    scale = read_scale(json_data.scale)
    mapping = None if json_data.mapping is None else read_mapping(json_data.mapping)
    row = found_instrument(instrument_id)
    changed = parse_instrument(row.content)
    changed.tuning = Scala(name=scale.name[:120], cents=key_offsets(scale, mapping))
    return store_change(row, json_data.revision, changed, "Tuning")
