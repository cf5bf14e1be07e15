"""What moves in an instrument, over HTTP."""

from __future__ import annotations

from typing import Any

from apiflask import APIBlueprint

from innerbloom.core.instrument import doctor, reach, reuse, sentences, wiring, wording
from innerbloom.core.instrument.catalogue import MODULATOR_KINDS
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.core.instrument.modulation import Route, envelope_of, modulator_of, reading_of
from innerbloom.store.movements import movements_of
from innerbloom.store.recordings import sound_of
from innerbloom.web import movement_schemas as ms
from innerbloom.web.revised import Revision
from innerbloom.web.routes.instruments import (
    InstrumentRevision,
    found_instrument,
    opened,
    store_change,
)
from innerbloom.web.routes.recordings import found_recording
from innerbloom.web.services import services

bp = APIBlueprint("movement", __name__, url_prefix="/api/instruments/<int:instrument_id>/movement")


@bp.post("")
@bp.input(ms.MovementActionIn, location="json")
@bp.output(InstrumentRevision)
def act(instrument_id: int, json_data: ms.MovementActionIn) -> Revision[Any]:
    """Make, mirror or take away modulators and routes, as one revision."""
    action = json_data.action
    row = found_instrument(instrument_id)
    label, changed = _changed(parse_instrument(row.content), action)
    return store_change(row, action.revision, changed, label)


def _changed(document: Instrument, action: ms.MovementAction) -> tuple[str, Instrument]:
    """The label of an action, and the changed document."""
    match action:
        case ms.AddModulator():
            return "Add a modulator", wiring.add_modulator(document, action.kind, action.name)
        case ms.Remove():
            return _removed(document, set(action.ids))
        case ms.AddRoute():
            given = action.model_dump(include={"depth", "low", "high"}, exclude_none=True)
            return "Add a route", wiring.add_route(
                document, action.source, action.target, action.parameter, **given
            )
        case ms.Say():
            return "Add a route", sentences.parse(document, action.text)
        case ms.Land():
            return "Range of a route", wiring.land_on(
                document, action.route, action.low, action.high
            )
        case ms.Mirror():
            return "Mirror a route", wiring.mirror(
                document, action.route, action.target, action.parameter
            )
        case ms.RandomMacros():
            return "Random macros", wiring.randomise_macros(document, action.seed)
        case ms.TakeCourse():
            sound, _ = sound_of(found_recording(action.recording))
            return "Recording of a contour", wiring.take_course(document, action.modulator, sound)
        case ms.DropPiece():
            piece = movements_of(services().files).taken(action.movement)
            return "Drop a movement", reuse.drop_piece(document, piece)
        case ms.Adopt():
            piece = movements_of(services().files).taken(action.movement)
            target = (action.target, action.parameter)
            return "Add a route", reuse.adopt(
                document, piece, action.which, action.modulator, target
            )


def _removed(document: Instrument, ids: set[str]) -> tuple[str, Instrument]:
    routes = {route.id for route in document.routes}
    label = "Remove a route" if ids <= routes else "Remove a modulator"
    return label, wiring.without(document, ids)


@bp.post("/reading")
@bp.input(ms.SeenIn, location="json")
@bp.output(ms.MovementOut)
def reading(instrument_id: int, json_data: ms.SeenIn) -> ms.MovementOut:
    """Routes as sentences, bands in real units, sources, and what the doctor finds."""
    row = found_instrument(instrument_id)
    document, revision = parse_instrument(row.content), row.revision
    clamped = {
        (owner, parameter): share
        for key, share in json_data.clamped.items()
        for owner, _, parameter in [key.partition(".")]
    }
    seen = doctor.Seen(json_data.looks, json_data.ranges, clamped)
    return ms.MovementOut(
        revision=revision,
        routes=[_route(document, route) for route in document.routes],
        targets=_targets(document),
        sources=_sources(document),
        findings=[ms.FindingOut(**one.__dict__) for one in doctor.examine(document, seen)],
    )


def _route(document: Instrument, route: Route) -> ms.RouteReading:
    declared = reach.declared_of(document, route.target, route.parameter)
    low, high = reach.band_of(document, route)
    least, most = reach.extent(document, route)
    return ms.RouteReading(
        id=route.id, unit=declared.unit, moved_in=declared.moved_in, low=low, high=high,
        least=least, most=most, **wording.sentence_of(document, route).__dict__,
    )  # fmt: skip


def _targets(document: Instrument) -> list[ms.TargetReading]:
    keys = dict.fromkeys((route.target, route.parameter) for route in document.routes)
    made = []
    for owner, parameter in keys:
        low, high = reach.band_of_all(document, owner, parameter)
        name = wording.target_name(document, owner, parameter)
        made.append(
            ms.TargetReading(owner=owner, parameter=parameter, name=name, low=low, high=high)
        )
    return made


def _sources(document: Instrument) -> list[ms.SourceReading]:
    macros = {
        f"m:{one.id}"
        for one in document.modulators
        if MODULATOR_KINDS[one.kind].shared and MODULATOR_KINDS[one.kind].steady
    }
    made = []
    for meant in sentences.sources_of(document):
        found = reading_of(document, meant.value)
        made.append(
            ms.SourceReading(
                id=meant.value, name=found.name, two_sided=found.two_sided,
                group=_group(meant.value, macros),
            )
        )  # fmt: skip
    return made


def _group(source: str, macros: set[str]) -> ms.SourceGroup:
    if source in macros:
        return "macro"
    if modulator_of(source) is not None:
        return "modulator"
    envelope = envelope_of(source)
    return "envelope" if envelope is not None and envelope[1] is not None else "played"


@bp.get("/missed")
@bp.input(ms.MissedIn, location="query")
@bp.output(ms.MissedOut)
def missed(instrument_id: int, query_data: ms.MissedIn) -> ms.MissedOut:
    """Routes of a kept movement, dropped as a modulator, that found no target here."""
    document = opened(instrument_id)
    piece = movements_of(services().files).taken(query_data.movement)
    found = reuse.missed_by(document, piece, query_data.modulator)
    return ms.MissedOut(
        missed=[
            ms.MissedRoute(
                which=one.which, name=one.name,
                offers=[
                    ms.Offer(owner=o, parameter=p, name=wording.target_name(document, o, p))
                    for o, p in one.offers
                ],
            )
            for one in found
        ]
    )  # fmt: skip


@bp.post("/complete")
@bp.input(ms.CompletionIn, location="json")
@bp.output(ms.CompletionOut)
def complete(instrument_id: int, json_data: ms.CompletionIn) -> ms.CompletionOut:
    """Sentences that what is typed so far may become."""
    document = opened(instrument_id)
    return ms.CompletionOut(sentences=sentences.complete(document, json_data.text))


kept_bp = APIBlueprint("movements", __name__, url_prefix="/api/movements")


@kept_bp.get("")
@kept_bp.output(ms.KeptMovements)
def kept() -> ms.KeptMovements:
    """Movements kept for reuse."""
    found = movements_of(services().files).listed()
    return ms.KeptMovements(movements=[ms.KeptMovement(**one.__dict__) for one in found])


@kept_bp.post("")
@kept_bp.input(ms.KeepMovement, location="json")
@kept_bp.output(ms.KeptMovement, status_code=201)
def keep(json_data: ms.KeepMovement) -> ms.KeptMovement:
    """Keep a modulator with its routes, to drop into other instruments."""
    document = opened(json_data.instrument)
    made = movements_of(services().files).keep(reuse.take_piece(document, json_data.modulator))
    return ms.KeptMovement(**made.__dict__)


@kept_bp.delete("/<movement_id>")
@kept_bp.output({}, status_code=204)
def forget(movement_id: str) -> tuple[str, int]:
    """Keep it no longer; instruments that have it are not touched."""
    movements_of(services().files).forget(movement_id)
    return "", 204
