"""Takes from elsewhere and on their way out: as files, as MIDI, put together, played over."""

from __future__ import annotations

import uuid
from dataclasses import replace
from typing import Any

from apiflask import APIBlueprint, HTTPError
from flask import request

from innerbloom.core.deliver.comp import Part, hands_together, put_together
from innerbloom.core.deliver.take_file import unpack_take
from innerbloom.core.instrument.document import KIND as INSTRUMENT
from innerbloom.core.instrument.document import Instrument as InstrumentOut
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.performance.hands import Overdub
from innerbloom.core.performance.lanes import lane_of
from innerbloom.core.performance.midi import events_from_midi
from innerbloom.core.performance.take import RATE, EventWriter, Take
from innerbloom.core.performance.take_document import parse_take
from innerbloom.core.performance.take_format import header_of
from innerbloom.core.prepare.source import FileSource
from innerbloom.core.sound.writing import write_sound
from innerbloom.store import documents, takes
from innerbloom.store.files import safe_title
from innerbloom.store.models import Document
from innerbloom.store.take_folders import write_header
from innerbloom.web import take_schemas as t
from innerbloom.web.revised import Revision, revision_of
from innerbloom.web.routes.instruments import found_instrument
from innerbloom.web.routes.takes import (
    TakeRevision,
    folders,
    found_take,
    listen_to,
    sound_address,
)
from innerbloom.web.services import database, services
from innerbloom.web.uploads import receive, takes_body

bp = APIBlueprint("take_files", __name__, url_prefix="/api/takes")

_TAIL_S = 6.0
"""So much longer than its last event is a take that comes from MIDI."""


@bp.post("/midi")
@bp.input(t.MidiTakeIn, location="query")
@bp.output(t.TakeTakenIn, status_code=201)
@takes_body
def from_midi(query_data: t.MidiTakeIn) -> t.TakeTakenIn:
    """A MIDI file, the body of the request, as the hands of a new take on an instrument."""
    of = found_instrument(query_data.instrument)
    document = INSTRUMENT.complete(of.content)
    path, _ = receive(services().files, "played.mid")
    try:
        events = events_from_midi(path.read_bytes(), RATE, document["settings"]["bend_range"])
    finally:
        path.unlink(missing_ok=True)
    last = max(event.time for event in events)
    take = Take(document, events=tuple(events), frames=last + round(_TAIL_S * RATE))
    header = header_of(take, instrument=of.id, name=of.name, origin="kept",
                       tempo=document["settings"]["tempo"])  # fmt: skip
    return _entered(folders().write(header, take), query_data.name or f"{of.name}, from MIDI")


def _entered(folder: str, name: str) -> t.TakeTakenIn:
    row = takes.enter(database(), folders().read(folder), name[:120])
    return t.TakeTakenIn(take=row.id, job=listen_to(row))


@bp.post("/file")
@bp.output(t.TakeTakenIn, status_code=201)
@takes_body
def from_file() -> t.TakeTakenIn:
    """Take in a take from elsewhere; the body of the request is its file."""
    name = safe_title(request.headers.get("X-Filename", "Take"), "Take")
    path, _ = receive(services().files, "given.take")
    take_id = uuid.uuid4().hex
    folder = folders().folder(take_id)
    folder.mkdir(parents=True)
    try:
        header, _ = unpack_take(path, folder)
        write_header(folder, header)
    except BaseException:
        folders().remove(take_id)
        raise
    finally:
        path.unlink(missing_ok=True)
    return _entered(take_id, name)


# -- several takes ---------------------------------------------------------------


@bp.post("/comp")
@bp.input(t.CompIn, location="json")
@bp.output(t.TakeTakenIn, status_code=201)
def comp(json_data: t.CompIn) -> t.TakeTakenIn:
    """Put takes of one backing together: each is heard from its start until the next one's."""
    rows = [found_take(one.take) for one in json_data.parts]
    starts = [one.start for one in json_data.parts]
    if len({row.summary["backing"] for row in rows}) > 1:
        raise HTTPError(
            409, "These takes were played along to different sounds: choose passes of one."
        )
    if sorted(set(starts)) != starts or starts[0] != 0.0:
        raise HTTPError(409, "The parts of a comp follow one another from 0 on: choose them anew.")
    first = rows[0].summary["backing_at"]
    offsets = [row.summary["backing_at"] - first for row in rows]
    sources = [FileSource(folders().sound_of(_address(row))) for row in rows]
    # it ends with the take that is heard last
    end = sources[-1].frames / RATE + offsets[-1]
    ends = [*starts[1:], end]
    if ends[-1] <= starts[-1]:
        raise HTTPError(409, "The last part begins where its take has ended: choose it anew.")
    parts = [
        Part(source, round(start * RATE), round(stop * RATE), round(offset * RATE))
        for source, start, stop, offset in zip(sources, starts, ends, offsets, strict=True)
    ]
    hands = [
        (takes.hands_of(row, folders()), start, stop, offset)
        for row, start, stop, offset in zip(rows, starts, ends, offsets, strict=True)
    ]
    take = hands_together(hands, end)
    header = header_of(
        take, origin="comp",
        **folders().read(rows[0].summary["folder"]).header.model_dump(
            include={"instrument", "name", "tempo", "backing"}
        ),
    )  # fmt: skip
    folder = folders().write(header, take)
    blocks = put_together(parts, 1e-3 * json_data.crossfade)
    write_sound(folders().sound(folder), blocks, RATE, 2, form="wav32f")
    return _entered(folder, json_data.name)


def _address(row: Document) -> str:
    return sound_address(parse_take(row.content))


@bp.post("/<int:take_id>/overdub")
@bp.input(t.OverdubIn, location="json")
@bp.output(TakeRevision)
def overdub(take_id: int, json_data: t.OverdubIn) -> Revision[Any]:
    """Lanes that were played over this take, in place of its own: a change of its hands.

    What was recorded for that is used up.
    """
    row = found_take(take_id)
    document: Any = parse_take(row.content)
    played = folders().read(json_data.folder).take
    wanted = [one for one in played.events
              if lane_of(one) in json_data.lanes and one.time >= played.lead_in]  # fmt: skip
    if not wanted:
        folders().remove(json_data.folder)
        raise HTTPError(
            409, "Nothing was played on what was to be replaced: the take is as it was."
        )
    lines, shift = EventWriter(played.document), round(json_data.at * RATE) - played.lead_in
    told = [lines.line(replace(one, time=one.time + shift)) for one in wanted]
    first, last = ((one.time + shift) / RATE for one in (wanted[0], wanted[-1]))
    edit = Overdub(do="overdub", lanes=json_data.lanes, start=first, end=last, events=told)
    changed = document.model_copy(update={"edits": [*document.edits, edit]})
    label = f"Play over {', '.join(json_data.lanes)}"
    documents.replace(database(), row, json_data.revision, changed, label)
    folders().remove(json_data.folder)
    return revision_of(row)


@bp.get("/<int:take_id>/document")
@bp.output(InstrumentOut)
def opening(take_id: int) -> Any:
    """The instrument that it begins with, to be played over."""
    return parse_instrument(takes.hands_of(found_take(take_id), folders()).document)
