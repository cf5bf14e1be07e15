"""Taking sounds out as files over HTTP."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from apiflask import APIBlueprint

from innerbloom.core.deliver.export import About, file_stem
from innerbloom.core.errors import BloomError
from innerbloom.jobs.kind import as_file
from innerbloom.store.models import Recording
from innerbloom.store.stages import summary_of
from innerbloom.web import schemas as s
from innerbloom.web.known import about
from innerbloom.web.routes.recordings import found_recording
from innerbloom.web.services import services

bp = APIBlueprint("exporting", __name__, url_prefix="/api")


@bp.post("/export")
@bp.input(s.ExportIn, location="json")
@bp.output(s.JobStarted, status_code=202)
def export(json_data: s.ExportIn) -> s.JobStarted:
    """Write sounds as files, as a job; its file is a sound, or a zip of several."""
    rows = [found_recording(one) for one in json_data.recordings]
    if json_data.stage is not None:
        if len(rows) > 1:
            raise BloomError("What a recipe makes is exported from one recording at a time.")
        items = [_stage_item(rows[0], json_data.stage)]
    else:
        items = [_item(row.digest, about(row, row.measured)) for row in rows]
    # a template that cannot be is said at once
    file_stem(json_data.template, about(rows[0], rows[0].measured), 1)
    params = json_data.model_dump(include={"format", "rate", "template"})
    title = rows[0].name if len(rows) == 1 else f"{len(rows)} sounds"
    return s.JobStarted(job=services().jobs.submit("export", title, params, as_file(items)))


def _stage_item(row: Recording, key: str) -> dict[str, Any]:
    measured = summary_of(services().files, key)
    if measured is None:
        raise BloomError("What the recipe makes is not at hand: open it on the Bench again.")
    return _item(key, about(row, measured))


def _item(digest: str, known: About) -> dict[str, Any]:
    return {"digest": digest, "about": asdict(known)}
