"""What is kept for reuse, and timelines: as JSON, and in the open formats of the trade."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import opentimelineio as otio

from innerbloom.core.atomic import written_whole
from innerbloom.core.deliver.exporters.kind import Exporter
from innerbloom.core.deliver.exporters.subjects import PieceSubject, TimelineSubject
from innerbloom.core.deliver.picture_papers import cue_csv
from innerbloom.core.deliver.stems import stem_names
from innerbloom.core.timeline.interchange import as_otio


def _json(subject: PieceSubject, target: Path) -> None:
    with written_whole(target) as beside:
        beside.write_text(json.dumps(subject.plain, indent=1) + "\n", "utf-8")


def _plain(path: Path) -> Any:
    return json.loads(path.read_text("utf-8"))


def _otio(subject: TimelineSubject, target: Path) -> None:
    with written_whole(target) as beside:
        beside.write_text(as_otio(subject.timeline, stem_names(subject.timeline)), "utf-8")


def _cues(subject: TimelineSubject, target: Path) -> None:
    with written_whole(target) as beside:
        beside.write_text(cue_csv(subject.timeline), "utf-8", newline="")


MOVEMENT = Exporter("movement", "movement", "Save as a file", ".json", "application/json", _json, _plain)  # fmt: skip
CHAIN = Exporter("chain", "chain", "Save as a file", ".json", "application/json", _json, _plain)
RECIPE = Exporter("recipe", "recipe", "Save the recipe", ".json", "application/json", _json, _plain)
TIMELINE_OTIO = Exporter(
    "otio", "timeline", "The timeline as OTIO", ".otio", "application/json", _otio,
    lambda path: otio.adapters.read_from_string(path.read_text("utf-8"), "otio_json"),
)  # fmt: skip
TIMELINE_CUES = Exporter("cues", "timeline", "Its cues as CSV", ".csv", "text/csv", _cues)
