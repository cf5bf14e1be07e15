"""Long work over HTTP."""

from __future__ import annotations

import base64
import json
import shutil

from apiflask import APIBlueprint, HTTPError
from flask import Response, send_from_directory
from sqlalchemy import select

from innerbloom.core.declare.sound import recordings_in
from innerbloom.jobs.kind import DOCUMENT, as_file
from innerbloom.jobs.rendering import MIDI
from innerbloom.store.files import safe_title
from innerbloom.store.models import JobRow
from innerbloom.web import schemas as s
from innerbloom.web.services import database, services, settings

_PROGRESS_S = 0.4

bp = APIBlueprint("jobs", __name__, url_prefix="/api")


def _found(job_id: str) -> JobRow:
    row = database().get(JobRow, job_id)
    if row is None:
        raise HTTPError(404, "There is no such job.")
    return row


def _out(row: JobRow) -> s.JobOut:
    return s.JobOut.of(row, *services().jobs.progress(row))


@bp.get("/jobs")
@bp.input(s.JobsIn, location="query")
@bp.output(s.JobList)
def list_jobs(query_data: s.JobsIn) -> s.JobList:
    """Jobs that changed since a moment; waits for a change, or tells progress meanwhile."""
    jobs, db = services().jobs, database()
    # while something runs there is progress to tell before long
    wait = min(query_data.wait, _PROGRESS_S) if jobs.running() else query_data.wait
    changed = jobs.changes.since(query_data.since, wait)
    moment = jobs.changes.now()
    if changed is None:
        rows = jobs.recent(db)
    else:
        rows = list(db.scalars(select(JobRow).where(JobRow.id.in_({*changed, *jobs.running()}))))
    return s.JobList(jobs=[_out(row) for row in rows], moment=moment)


@bp.get("/jobs/<job_id>")
@bp.output(s.JobOut)
def get_job(job_id: str) -> s.JobOut:
    return _out(_found(job_id))


@bp.delete("/jobs/<job_id>")
@bp.output(s.JobOut)
def cancel_job(job_id: str) -> s.JobOut:
    """Ask a job to stop."""
    row = _found(job_id)
    services().jobs.cancel(job_id)
    return _out(row)


def _with_file(job_id: str) -> JobRow:
    row = _found(job_id)
    if row.state != "done" or not row.result.get("file"):
        raise HTTPError(409, "This job has no file to give: it is not a finished render.")
    if not (services().files.renders / row.result["file"]).is_file():
        raise HTTPError(410, "The rendered file is gone: render it again.")
    return row


def _download_name(row: JobRow, suffix: str) -> str:
    """An export names its file; a render is called by its title."""
    named = row.result.get("name", "") if row.kind == "export" else row.title
    return f"{safe_title(named if named.endswith(suffix) else named + suffix, 'Sound')}{suffix}"


@bp.get("/jobs/<job_id>/file")
@bp.doc(responses={200: "the rendered sound", 409: "not as far yet"})
def download(job_id: str) -> Response:
    row = _with_file(job_id)
    name = row.result["file"]
    suffix = name[name.rindex(".") :]
    return send_from_directory(
        services().files.renders, name, as_attachment=True,
        download_name=_download_name(row, suffix),
    )  # fmt: skip


@bp.post("/jobs/<job_id>/keep")
@bp.output(s.JobStarted, status_code=202)
@bp.doc(responses={409: "not as far yet"})
def keep(job_id: str) -> s.JobStarted:
    """Put a render on the shelf as a recording that knows what it was made from."""
    files = services().files
    row = _with_file(job_id)
    if row.kind != "render":
        raise HTTPError(409, "What was exported is on the shelf already.")
    incoming = files.new_incoming(row.result["file"])
    shutil.copyfile(files.renders / row.result["file"], incoming)
    folder = services().jobs.folder(job_id)
    document, midi = json.loads((folder / DOCUMENT).read_text("utf-8")), folder / MIDI
    lineage = {
        "instrument": row.params["instrument"], "name": document["name"],
        "revision": row.params["revision"], "document": document,
        "played": {
            **{key: row.params[key] for key in ("seconds", "velocity")},
            # a chord sounds at its lowest key
            "key": min([row.params["key"], *row.params.get("keys", [])]),
            "midi": base64.b64encode(midi.read_bytes()).decode() if midi.is_file() else None,
        },
        "recordings": recordings_in(document),
    }  # fmt: skip
    params = {
        "path": incoming.name, "filename": f"{row.title}{incoming.suffix}",
        "tuning": settings().tuning,
    }  # fmt: skip
    job = services().jobs.submit("import", row.title, params, as_file(lineage))
    return s.JobStarted(job=job)
