"""Settings, the registry of parameters, and tickets to live sound."""

from __future__ import annotations

from apiflask import APIBlueprint, HTTPError
from flask import request

from innerbloom.core.declare.curves import STEEPNESS
from innerbloom.core.declare.sound import MAX_STRETCH_S
from innerbloom.core.deliver.samples.settings import SAMPLES
from innerbloom.core.deliver.variation_settings import VARIATIONS
from innerbloom.core.ensemble.document import MAX_PLAYERS
from innerbloom.core.ensemble.parameters import ENSEMBLE, PLAYER
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.catalogue import (
    BUS,
    EFFECT_KINDS,
    ENTRY,
    INSTRUMENT,
    LAYER_KINDS,
    MEMBER,
    MODULATOR_KINDS,
    ROUTE,
    SEND,
    SOURCES,
)
from innerbloom.core.instrument.document import MAX_LAYERS, MAX_MEMBERS
from innerbloom.core.instrument.mixing import MAX_BUSES
from innerbloom.core.instrument.modulation import POLARITIES
from innerbloom.core.instrument.snapshots import MAX_SNAPSHOTS
from innerbloom.core.performance.phrase_settings import PHRASE
from innerbloom.core.performance.take_document import DECLARED as TAKE
from innerbloom.core.timeline.clip_settings import CLIP
from innerbloom.core.timeline.stem_settings import STEMS
from innerbloom.store.settings import ProjectSettings, write_settings
from innerbloom.store.tidying import tidy, used
from innerbloom.web import schemas as s
from innerbloom.web.layer_schemas import (
    Catalogue,
    EffectKindOut,
    LayerKindOut,
    ModulatorKindOut,
)
from innerbloom.web.services import database, services, settings

bp = APIBlueprint("project", __name__, url_prefix="/api")


@bp.get("/parameters")
@bp.output(Catalogue)
def parameters() -> Catalogue:
    """Every parameter there is, as the engine knows it."""
    return Catalogue(
        whole=list(INSTRUMENT),
        ensemble=list(ENSEMBLE),
        players=list(PLAYER),
        phrase=list(PHRASE),
        variations=list(VARIATIONS),
        samples=list(SAMPLES),
        stems=list(STEMS),
        clips=list(CLIP),
        most_players=MAX_PLAYERS,
        most_snapshots=MAX_SNAPSHOTS,
        kinds={kind.id: list(kind.declared) for kind in LAYER_KINDS.values()},
        layer_kinds=[LayerKindOut.model_validate(kind) for kind in LAYER_KINDS.values()],
        effect_kinds=[EffectKindOut.model_validate(kind) for kind in EFFECT_KINDS.values()],
        buses=list(BUS),
        sends=list(SEND),
        members=list(MEMBER),
        entries=list(ENTRY),
        sources=list(SOURCES),
        modulator_kinds=[
            ModulatorKindOut.model_validate(kind) for kind in MODULATOR_KINDS.values()
        ],
        routes=list(ROUTE),
        take=list(TAKE),
        polarities=list(POLARITIES),
        envelope_steepness=STEEPNESS,
        longest_stretch_s=MAX_STRETCH_S,
        most_layers=MAX_LAYERS,
        most_members=MAX_MEMBERS,
        most_buses=MAX_BUSES,
    )


@bp.get("/settings")
@bp.output(ProjectSettings)
def get_settings() -> ProjectSettings:
    return settings()


@bp.patch("/settings")
@bp.input(s.SettingsEdit, location="json")
@bp.output(ProjectSettings)
def edit_settings(json_data: s.SettingsEdit) -> ProjectSettings:
    changed = json_data.model_dump(exclude_none=True)
    stored = ProjectSettings(**{**settings().model_dump(), **changed})
    write_settings(database(), stored)
    return stored


@bp.get("/storage")
@bp.output(s.Storage)
def storage() -> s.Storage:
    """What the project's folder holds."""
    return s.Storage(parts=used(services().files), freed=0)


@bp.post("/storage/tidy")
@bp.output(s.Storage)
def tidy_now() -> s.Storage:
    """Give up what was not used for long, and the least used beyond the size that is set."""
    freed = tidy(services().files, database(), settings())
    return s.Storage(parts=used(services().files), freed=freed)


@bp.post("/live")
@bp.output(s.LiveTicket, status_code=201)
def live_ticket() -> s.LiveTicket:
    """A ticket, good once and for half a minute, to a live session on the engine's port."""
    origin = request.headers.get("Origin") or request.host_url.rstrip("/")
    try:
        port, ticket = services().live.ticket(origin)
    except BloomError as error:
        raise HTTPError(503, str(error)) from error
    return s.LiveTicket(port=port, ticket=ticket)


@bp.post("/project/archive")
@bp.output(s.JobStarted, status_code=202)
def archive() -> s.JobStarted:
    """The whole project as one file with checksums, as a job; ``bloom open`` unpacks it."""
    name = settings().project
    return s.JobStarted(job=services().jobs.submit("archive", name, {"project": name}))


@bp.post("/project/check")
@bp.output(s.JobStarted, status_code=202)
def check() -> s.JobStarted:
    """Compare every recording with its checksum, as a job that names what is damaged or gone."""
    return s.JobStarted(job=services().jobs.submit("check", "recordings", {}))
