"""Long work over HTTP."""

from __future__ import annotations

import shutil

from apiflask import APIBlueprint, HTTPError
from flask import Response, send_from_directory
from sqlalchemy.orm import Session

from innerbloom.core.instrument.document import recordings_in
from innerbloom.store.files import safe_title
from innerbloom.store.models import JobRow
from innerbloom.store.settings import read_settings
from innerbloom.web import schemas as s
from innerbloom.web.services import database, services

bp = APIBlueprint("jobs", __name__, url_prefix="/api")


def _found(db: Session, job_id: str) -> JobRow:
    row = db.get(JobRow, job_id)
    if row is None:
        raise HTTPError(404, "There is no such job.")
    return row


def _out(row: JobRow) -> s.JobOut:
    return s.JobOut.of(row, *services().jobs.progress(row))


@bp.get("/jobs")
@bp.output(s.JobList)
def list_jobs() -> s.JobList:
    with database() as db:
        return s.JobList(jobs=[_out(row) for row in services().jobs.recent(db)])


@bp.get("/jobs/<job_id>")
@bp.output(s.JobOut)
def get_job(job_id: str) -> s.JobOut:
    with database() as db:
        return _out(_found(db, job_id))


@bp.delete("/jobs/<job_id>")
@bp.output(s.JobOut)
def cancel_job(job_id: str) -> s.JobOut:
    """Ask a job to stop."""
    with database() as db:
        row = _found(db, job_id)
        services().jobs.cancel(job_id)
        return _out(row)


def _rendered(db: Session, job_id: str) -> JobRow:
    row = _found(db, job_id)
    if row.kind != "render" or row.state != "done":
        raise HTTPError(409, "This job has no file to give: it is not a finished render.")
    if not (services().files.renders / row.result["file"]).is_file():
        raise HTTPError(410, "The rendered file is gone: render it again.")
    return row


@bp.get("/jobs/<job_id>/file")
@bp.doc(responses={200: "the rendered sound"})
def download(job_id: str) -> Response:
    with database() as db:
        row = _rendered(db, job_id)
    name = row.result["file"]
    suffix = name[name.rindex(".") :]
    return send_from_directory(
        services().files.renders, name, as_attachment=True,
        download_name=f"{safe_title(row.title, 'Render')}{suffix}",
    )  # fmt: skip


@bp.post("/jobs/<job_id>/keep")
@bp.output(s.JobStarted, status_code=202)
def keep(job_id: str) -> s.JobStarted:
    """Put a render on the shelf as a recording that knows what it was made from."""
    files = services().files
    with database() as db:
        row = _rendered(db, job_id)
        tuning = read_settings(db).tuning
    incoming = files.new_incoming(row.result["file"])
    shutil.copyfile(files.renders / row.result["file"], incoming)
    document = row.params["document"]
    lineage = {
        "instrument": row.params["instrument"], "name": document["name"],
        "revision": row.params["revision"], "document": document,
        "played": {key: row.params[key] for key in ("key", "seconds", "velocity", "midi")},
        "recordings": recordings_in(document),
    }  # fmt: skip
    params = {
        "path": incoming.name, "filename": f"{row.title}{incoming.suffix}", "tuning": tuning,
        "lineage": lineage,
    }  # fmt: skip
    return s.JobStarted(job=services().jobs.submit("import", row.title, params))
