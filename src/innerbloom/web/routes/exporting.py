"""Taking sounds out as files over HTTP."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from apiflask import APIBlueprint

from innerbloom.core.deliver.export import About, file_stem
from innerbloom.core.errors import BloomError
from innerbloom.core.pitch_names import hz_to_note
from innerbloom.core.sound.loop import Loop
from innerbloom.core.sound.metadata import Origin
from innerbloom.jobs.kind import as_file
from innerbloom.store import recordings
from innerbloom.store.models import Recording
from innerbloom.store.stages import summary_of
from innerbloom.web import schemas as s
from innerbloom.web.routes.recordings import found_recording
from innerbloom.web.services import services, settings

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
        items = [_item(row.digest, _about(row, row.measured)) for row in rows]
    # a template that cannot be is said at once
    file_stem(json_data.template, _about(rows[0], rows[0].measured), 1)
    params = json_data.model_dump(include={"format", "rate", "template"})
    title = rows[0].name if len(rows) == 1 else f"{len(rows)} sounds"
    return s.JobStarted(job=services().jobs.submit("export", title, params, as_file(items)))


def _stage_item(row: Recording, key: str) -> dict[str, Any]:
    measured = summary_of(services().files, key)
    if measured is None:
        raise BloomError("What the recipe makes is not at hand: open it on the Bench again.")
    return _item(key, _about(row, measured))


def _item(digest: str, about: About) -> dict[str, Any]:
    return {"digest": digest, "about": asdict(about)}


def _about(row: Recording, measured: dict[str, Any]) -> About:
    hz, loops = measured["root_hz"], measured.get("loops") or []
    words = s.root_words(hz, settings().tuning)
    return About(
        name=row.name,
        origin=Origin(title=row.name, **recordings.origin_of(row)),
        # files are read by tools that know A4 at 440 Hz
        root=None if hz is None else hz_to_note(hz),
        root_name=words["root_note"] or "",
        loop=Loop(**loops[0]) if loops else None,
        markers=tuple(measured.get("markers") or ()),
        place=row.place,
        scene=row.scene,
        take=row.take,
    )
