"""Snapshots of an instrument and their map, over HTTP."""

from __future__ import annotations

from typing import Any

from apiflask import APIBlueprint

from innerbloom.core.instrument import snapshooting as shooting
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.web import snapshot_schemas as ss
from innerbloom.web.revised import Revision
from innerbloom.web.routes.instruments import (
    InstrumentRevision,
    found_instrument,
    opened,
    store_change,
)

bp = APIBlueprint("snapshots", __name__, url_prefix="/api")


@bp.get("/instruments/<int:instrument_id>/snapshots")
@bp.output(ss.SnapshotsOut)
def told(instrument_id: int) -> ss.SnapshotsOut:
    """What was changed since each snapshot, and what the map moves."""
    document = opened(instrument_id)
    return ss.SnapshotsOut(
        snapshots=[
            ss.SnapshotOut(
                id=one.id,
                changes=shooting.change_words(document, one),
                left_out=shooting.left_out(document, one),
            )
            for one in document.snapshots
        ],
        blended=[
            ss.BlendedOut.model_validate(one, from_attributes=True)
            for one in shooting.blended_words(document)
        ],
    )


@bp.post("/instruments/<int:instrument_id>/snapshots")
@bp.input(ss.SnapshotActionIn, location="json")
@bp.output(InstrumentRevision)
def act(instrument_id: int, json_data: ss.SnapshotActionIn) -> Revision[Any]:
    """Take, recall or remove a snapshot, or stand on the map, as one revision."""
    action = json_data.action
    row = found_instrument(instrument_id)
    label, changed = _changed(parse_instrument(row.content), action)
    return store_change(row, action.revision, changed, label)


def _changed(document: Instrument, action: ss.SnapshotAction) -> tuple[str, Instrument]:
    """The label of an action, and the changed document."""
    match action:
        case ss.TakeSnapshot():
            return "Take a snapshot", shooting.take_snapshot(document, action.name.strip())
        case ss.StandAt():
            place = (action.across, action.up)
            return "Move on the map", shooting.stand_at(document, place)
        case ss.PutOnMap():
            return "Place on the map", shooting.put_on_map(document, action.snapshot, action.place)
        case ss.RollBetween():
            return "Roll a snapshot", shooting.roll_between(
                document, action.first, action.second, action.seed
            )
    name = shooting.find_snapshot(document, action.snapshot).name[:90]
    match action.do:
        case "recall":
            return f"Recall {name}", shooting.recall(document, action.snapshot).document
        case "replace snapshot":
            return f"Replace {name}", shooting.replace_snapshot(document, action.snapshot)
        case "say of all":
            return "Say of all snapshots", shooting.say_of_all(document, action.snapshot)
        case _:
            return f"Remove {name}", shooting.remove_snapshot(document, action.snapshot)
