"""The shelf over HTTP."""

from __future__ import annotations

import json
from typing import Any

from apiflask import APIBlueprint, HTTPError
from flask import Response, send_file

from innerbloom.core.analysis.opening import opening_of
from innerbloom.core.deliver.export import name_fields
from innerbloom.core.deliver.first_note import levelled
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.document import KIND as INSTRUMENT
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.instrument.grow import (
    bring_to_life,
    grow_cloud,
    grow_of_many,
    grow_spectral,
    grow_wave,
)
from innerbloom.core.names import LONGEST, by_template, numbered
from innerbloom.core.pitch_names import hz_to_note
from innerbloom.store import documents, recordings
from innerbloom.store.files import safe_suffix, safe_title
from innerbloom.store.finding import Wanted, compared, found
from innerbloom.store.models import Recording
from innerbloom.store.prepared import DiskMaterials
from innerbloom.web import many_schemas as many
from innerbloom.web import schemas as s
from innerbloom.web.known import about
from innerbloom.web.revised import Revision
from innerbloom.web.routes.instruments import InstrumentRevision, created
from innerbloom.web.services import database, services, settings
from innerbloom.web.uploads import receive, takes_body

bp = APIBlueprint("recordings", __name__, url_prefix="/api")


def found_recording(recording_id: int, *, deleted: bool = False) -> Recording:
    row = recordings.get(database(), recording_id)
    if row is None or (row.deleted is not None and not deleted):
        raise HTTPError(404, "This recording is not on the shelf.")
    return row


def _out(rows: list[Recording]) -> list[s.RecordingOut]:
    grown = documents.listed(database(), INSTRUMENT)
    return [s.RecordingOut.of(row, settings().tuning, grown) for row in rows]


@bp.get("/recordings")
@bp.output(s.RecordingList)
def list_recordings() -> Response:
    """What is on the shelf, oldest first."""
    kept = services().shelf.lines(database())
    rest = {
        "tags": sorted({tag for line in kept for tag in line.tags}),
        "places": sorted({line.place for line in kept if line.place}),
        "collections": sorted({line.collection for line in kept if line.collection}),
    }
    lines = services().shelf_text.of(kept, settings().tuning)
    # both are JSON already, and the lines may be very many
    answer = f'{{"recordings":{lines},{json.dumps(rest)[1:]}'
    return Response(answer, mimetype="application/json")


@bp.get("/recordings/found")
@bp.input(Wanted, location="query")
@bp.output(s.RecordingsFound)
def find_recordings(query_data: Wanted) -> s.RecordingsFound:
    """What of the shelf is looked for, in the order that is asked for."""
    columns, among = services().shelf.matching(database(), query_data.q, settings().tuning)
    kept = found(columns, among, query_data)
    return s.RecordingsFound(
        ids=columns.ids[kept].tolist(), alike=compared(columns, kept, query_data)
    )


@bp.post("/recordings")
@bp.input(s.UploadIn, location="query")
@bp.output(s.Uploaded, status_code=202)
@takes_body
def add_recording(query_data: s.UploadIn) -> tuple[s.Uploaded, int]:
    """Add a file, given as the request's body; measuring it is a job."""
    return start_import(query_data.name, query_data.collection)


def start_import(name: str, collection: str = "") -> tuple[s.Uploaded, int]:
    db = database()
    tuning = settings().tuning
    path, digest = receive(services().files, name)
    title = safe_title(name)
    db = database()
    present = recordings.with_digest(db, digest)
    if present is not None:
        mended = services().files.mend(path, digest, safe_suffix(name))
        was_deleted = present.deleted is not None
        recordings.restore(db, present)
        message = (
            f"'{present.name}' is back on the shelf." if was_deleted
            else f"The file of '{present.name}' is whole again." if mended
            else f"'{title}' is already on the shelf as '{present.name}'."
        )  # fmt: skip
        return s.Uploaded(job=None, recording=present.id, message=message), 200
    params = {
        "path": path.name, "filename": name[-255:], "tuning": tuning, "collection": collection,
    }  # fmt: skip
    job = services().jobs.submit("import", title, params)
    return s.Uploaded(job=job, recording=None, message=""), 202


@bp.get("/recordings/<int:recording_id>")
@bp.output(s.RecordingOut)
def get_recording(recording_id: int) -> s.RecordingOut:
    return _out([found_recording(recording_id)])[0]


@bp.patch("/recordings/<int:recording_id>")
@bp.input(s.RecordingEdit, location="json")
@bp.output(s.RecordingOut)
def edit_recording(recording_id: int, json_data: s.RecordingEdit) -> s.RecordingOut:
    db = database()
    row = found_recording(recording_id)
    for field, value in json_data.model_dump(exclude_none=True).items():
        setattr(row, field, value)
    db.commit()
    return _out([row])[0]


@bp.patch("/recordings")
@bp.input(many.ManyEdits, location="json")
@bp.output(many.EditsBefore)
def edit_recordings(json_data: many.ManyEdits) -> many.EditsBefore:
    """Change several recordings together; the answer holds what was before, as such a change."""
    before = []
    for edit in json_data.edits:
        row = found_recording(edit.recording)
        change = edit.model_dump(exclude_none=True, exclude={"recording"})
        before.append({"recording": row.id, **{field: getattr(row, field) for field in change}})
        for field, value in change.items():
            setattr(row, field, value)
    database().commit()
    return many.EditsBefore.model_validate({"edits": before})


@bp.post("/recordings/names")
@bp.input(many.NamesIn, location="json")
@bp.output(many.NamesOut)
def names_by_template(json_data: many.NamesIn) -> many.NamesOut:
    """What recordings would be called by a template; nothing is renamed."""
    rows = [found_recording(one) for one in json_data.recordings]
    names: list[str] = []
    for number, row in enumerate(rows, json_data.begin):
        text = by_template(json_data.template, name_fields(about(row, row.measured), number))
        text = " ".join(text.split())[:LONGEST]
        if not text:
            raise BloomError(f"Nothing is left of the name of '{row.name}': add {{name}}.")
        names.append(numbered(text, names))
    return many.NamesOut(names=names)


@bp.delete("/recordings/<int:recording_id>")
@bp.output({}, status_code=204)
def delete_recording(recording_id: int) -> str:
    """Take a recording off the shelf; its file stays for what plays it, and for undo."""
    db = database()
    recordings.delete(db, found_recording(recording_id))
    return ""


@bp.post("/recordings/<int:recording_id>/restore")
@bp.output(s.RecordingOut)
def restore_recording(recording_id: int) -> s.RecordingOut:
    db = database()
    row = found_recording(recording_id, deleted=True)
    recordings.restore(db, row)
    return _out([row])[0]


@bp.get("/recordings/<int:recording_id>/file")
@bp.doc(responses={200: "the file as it came in, under the name of the sound"})
def download_recording(recording_id: int) -> Response:
    """The file of a sound as it is, such as for dragging it out of the window."""
    row = found_recording(recording_id)
    path = services().files.find(row.digest)
    if path is None:
        raise HTTPError(404, "The file of this sound is gone from the project's folder.")
    name = f"{safe_title(row.name, 'Sound')}{path.suffix}"
    return send_file(path, as_attachment=True, download_name=name)


@bp.post("/recordings/<int:recording_id>/instrument")
@bp.input(s.GrowIn, location="json")
@bp.output(InstrumentRevision, status_code=201)
def grow(recording_id: int, json_data: s.GrowIn) -> Revision[Any]:
    """A new instrument: a cloud on a recording, a wave on a wavetable, or a spectrum played."""
    return created(_grown(found_recording(recording_id), json_data.at_s, settings().tuning))


def _grown(row: Recording, at_s: float, tuning: float) -> Instrument:
    if row.kind == "wavetable":
        return grow_wave(row.name, recordings.sound_of(row)[0], tuning=tuning)
    if row.kind == "spectrum":
        return grow_spectral(row.name, recordings.sound_of(row)[0], tuning=tuning)
    root_hz = row.measured["root_hz"]
    made = grow_cloud(
        row.name,
        duration_s=row.measured["duration_s"],
        root=None if root_hz is None else hz_to_note(root_hz),
        loudness_lufs=row.measured["lufs"],
        recording=row.digest,
        at_s=at_s,
        tuning=tuning,
    )
    files = services().files
    opening = opening_of(files.readable(row.digest), at_s)
    alive = bring_to_life(made, opening, row.measured["duration_s"])
    return levelled(alive, DiskMaterials(files))


@bp.post("/recordings/instrument")
@bp.input(many.GrowManyIn, location="json")
@bp.output(InstrumentRevision, status_code=201)
def grow_many(json_data: many.GrowManyIn) -> Revision[Any]:
    """A new instrument that chooses among several recordings."""
    rows = [found_recording(one) for one in json_data.recordings]
    others = [row.name for row in rows if row.kind in ("wavetable", "spectrum")]
    if others:
        raise BloomError(
            f"Grains are taken from recordings and materials: leave '{others[0]}' out."
        )
    name = rows[0].name if len(rows) == 1 else f"{rows[0].name} and {len(rows) - 1} more"
    sounds = [recordings.sound_of(row)[0] for row in rows]
    return created(grow_of_many(name, sounds, json_data.spread, tuning=settings().tuning))


@bp.post("/recordings/batch")
@bp.input(many.BatchIn, location="json")
@bp.output(many.BatchOut)
def batch(json_data: many.BatchIn) -> many.BatchOut:
    """Delete, bring back, tag or untag several sounds at once."""
    db = database()
    rows = [found_recording(one, deleted=True) for one in json_data.recordings]
    changed = recordings.batch(db, rows, json_data.action, json_data.tag)
    return many.BatchOut(changed=changed)
