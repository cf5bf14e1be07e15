"""Modulators and routes: what moves in an instrument, and what it moves."""

from __future__ import annotations

from dataclasses import dataclass
from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated, Any, Literal, Protocol, TypeAlias

from pydantic import Field, StringConstraints, create_model

from innerbloom.core.instrument.catalogue import (
    CONTROLLERS,
    DEPTH,
    ENVELOPE_NAMES,
    MODULATOR_KINDS,
    MODULATOR_SETTINGS,
    ROUTE,
    SOURCES,
    movable,
)
from innerbloom.core.instrument.model import Bend, Id, Model, Name, Share, TwoSided, refuse
from innerbloom.core.instrument.parameters import Parameter, Settings, settings_model
from innerbloom.core.instrument.sound import Sound

MAX_MODULATORS = 32
MAX_MACROS = 16
MAX_ROUTES = 256
MAX_POINTS = 64
MAX_STEPS = 64
FREE_STEPS = 128
"""Values of a transfer curve drawn freely."""

POLARITIES = ("as is", "one-sided", "two-sided", "inverted", "mirrored")
"""Inverted is -x or 1 - x, mirrored the distance from the middle; the engine knows their places."""

_PointOf: TypeAlias = tuple[Share, TwoSided, Bend]
_STRAIGHT = [(0.0, 0.0, 0.0), (1.0, 1.0, 0.0)]


class Modulator(Model):
    """What all kinds of modulator share.

    Attributes
    ----------
    points : list of (place, value, bend)
        What is drawn: a cycle of an LFO, or a shape; values -1..1 and 0..1. Bends in %.
    steps : list of (value, chance)
        Of a step pattern; with less than a chance of 1 the step before may stay.
    follows : str or None
        Id of the layer a follower listens to; None for the whole.
    sound : Sound or None
        The recording whose course a contour takes; None where none is chosen yet.
    """

    id: Id
    name: Name
    kind: str
    settings: Settings
    points: list[_PointOf] = Field(default=_STRAIGHT, min_length=2, max_length=MAX_POINTS)
    steps: list[tuple[TwoSided, Share]] = Field(
        default=[(-1.0, 1.0), (0.5, 1.0), (0.0, 1.0), (1.0, 1.0)],
        min_length=1,
        max_length=MAX_STEPS,
    )
    follows: Id | None = None
    sound: Sound | None = None


def _modulator_model(kind: str) -> type[Modulator]:
    settings = MODULATOR_SETTINGS[kind]
    return create_model(
        f"{kind.title()}Modulator",
        __base__=Modulator,
        kind=(Literal[kind], kind),  # type: ignore[valid-type, arg-type]
        settings=(settings, Field(default_factory=settings)),
    )


MODULATOR_MODELS = {kind: _modulator_model(kind) for kind in MODULATOR_KINDS}
RouteSettings: type[Settings] = settings_model("RouteSettings", ROUTE)

# models made from the registry look like their bases to a type checker
if TYPE_CHECKING:
    AnyModulator = Modulator
    RouteBase = Settings
else:
    AnyModulator = Annotated[reduce(or_, MODULATOR_MODELS.values()), Field(discriminator="kind")]
    RouteBase = RouteSettings

_NAMED = "|".join(source.id for source in SOURCES)
_SOURCE = rf"^({_NAMED}|controller:\d{{1,3}}|m:[a-z0-9]{{1,16}}(:other)?)$"
SourceName = Annotated[str, StringConstraints(pattern=_SOURCE)]


class Curve(Model):
    """A transfer curve from what comes, 0..1, to what arrives.

    Attributes
    ----------
    points : list of (place, value, bend)
        Breakpoints; empty where it is drawn freely.
    free : list of float
        Or :data:`FREE_STEPS` values.
    """

    points: list[tuple[Share, Share, Bend]] = Field(default=[], max_length=MAX_POINTS)
    free: list[Share] = Field(default=[], max_length=FREE_STEPS)


class Route(RouteBase):
    """One source moving one parameter.

    Attributes
    ----------
    source : str
        One of :data:`~innerbloom.core.instrument.catalogue.SOURCES`, ``controller:N``,
        ``m:ID`` for a modulator, or ``m:ID:other`` for an LFO's other side.
    target, parameter : str
        Id of the layer, modulator or route that is moved, and of its parameter.
    depth : float
        How far a source at 1 moves the parameter, in the parameter's own unit; in octaves
        where its scale is logarithmic.
    polarity : str
        One of :data:`POLARITIES`.
    curve : Curve or None
    span : (low, high) or None
        Shares of the depth that the source's lowest and highest values bring; None for its own.
    by : str or None
        A second source that scales what arrives, from nothing to all of it.
    on : bool
    """

    id: Id
    source: SourceName
    target: Id
    parameter: Annotated[str, StringConstraints(max_length=40)]
    depth: float = Field(ge=DEPTH.low, le=DEPTH.high)
    polarity: Literal[POLARITIES] = "as is"  # type: ignore[valid-type]
    curve: Curve | None = None
    span: tuple[TwoSided, TwoSided] | None = None
    by: SourceName | None = None
    on: bool = True


class Moving(Protocol):
    """The part of a document that this module speaks of."""

    @property
    def layers(self) -> Any: ...
    @property
    def modulators(self) -> Any: ...
    @property
    def routes(self) -> Any: ...


@dataclass(frozen=True)
class SourceReading:
    """What a source is called, whether it runs to both sides, and how far."""

    name: str
    two_sided: bool
    reach: float


def modulator_of(source: str) -> tuple[str, int] | None:
    """Id of the modulator that a source's name means, and which of its sides; None if none."""
    parts = source.split(":")
    return (parts[1], len(parts) - 2) if parts[0] == "m" else None


def reading_of(document: Moving, source: str) -> SourceReading:
    """What is known of a source; KeyError for a modulator that is not there."""
    meant = modulator_of(source)
    if meant is not None:
        found = {one.id: one for one in document.modulators}[meant[0]]
        kind = MODULATOR_KINDS[found.kind]
        both = found.settings.reach == "-1 to 1" if kind.id == "random" else kind.two_sided
        name = f"{found.name}, other side" if meant[1] else found.name
        return SourceReading(name, both, 1.0)
    if source.startswith("controller:"):
        return SourceReading(f"controller {source.partition(':')[2]}", False, 1.0)
    named = next(one for one in SOURCES if one.id == source)
    return SourceReading(named.name, named.two_sided, named.reach)


def owner_of(document: Moving, target: str) -> Any:
    """The layer, modulator or route of an id; None if there is none."""
    owners = (*document.layers, *document.modulators, *document.routes)
    return next((one for one in owners if one.id == target), None)


def declared_target(owner: Any, parameter: str) -> Parameter | None:
    """The declaration of what a route moves; None if it cannot be moved."""
    parameters = movable(owner.kind) if hasattr(owner, "kind") else ROUTE
    return next((p for p in parameters if p.id == parameter and p.movable), None)


def check_movement(document: Moving) -> None:
    """See that modulators and routes speak of what is there.

    Raises
    ------
    DocumentError
    """
    macros = sum(one.kind == "macro" for one in document.modulators)
    if macros > MAX_MACROS:
        raise refuse("modulators", f"there are {macros} macros; {MAX_MACROS} at most")
    layers = {layer.id for layer in document.layers}
    for number, one in enumerate(document.modulators):
        at = f"modulators.{number}"
        _check_rising(f"{at}.points", one.points)
        if one.follows is not None and one.follows not in layers:
            raise refuse(f"{at}.follows", f"there is no layer '{one.follows}'")
    for number, route in enumerate(document.routes):
        _check_route(f"routes.{number}", route, document)


def _check_rising(at: str, points: list[tuple[float, float, float]]) -> None:
    places = [place for place, _, _ in points]
    if places != sorted(places):
        raise refuse(at, "its places have to rise")


def _check_source(at: str, source: str, document: Moving) -> None:
    if source.startswith("controller:") and int(source.partition(":")[2]) >= CONTROLLERS:
        raise refuse(at, f"controllers go from 0 to {CONTROLLERS - 1}")
    meant = modulator_of(source)
    if meant is None:
        return
    found = next((one for one in document.modulators if one.id == meant[0]), None)
    if found is None:
        raise refuse(at, f"there is no modulator '{meant[0]}'")
    if meant[1] >= MODULATOR_KINDS[found.kind].sides:
        raise refuse(at, f"'{found.name}' has no other side")


def _check_route(at: str, route: Route, document: Moving) -> None:
    _check_source(f"{at}.source", route.source, document)
    if route.by is not None:
        _check_source(f"{at}.by", route.by, document)
    owner = owner_of(document, route.target)
    if owner is None:
        raise refuse(f"{at}.target", f"there is no layer, modulator or route '{route.target}'")
    if declared_target(owner, route.parameter) is None:
        of = f"a {owner.kind}" if hasattr(owner, "kind") else "a route"
        raise refuse(f"{at}.parameter", f"'{route.parameter}' of {of} cannot be moved")
    if owner not in document.layers and {route.source, route.by} & set(ENVELOPE_NAMES):
        raise refuse(f"{at}.source", "an envelope of a layer moves that layer only")
    if route.curve is not None:
        _check_curve(f"{at}.curve", route.curve)


def _check_curve(at: str, curve: Curve) -> None:
    if curve.free and len(curve.free) != FREE_STEPS:
        raise refuse(f"{at}.free", f"a free curve has {FREE_STEPS} values")
    if bool(curve.free) == (len(curve.points) >= 2):
        raise refuse(at, "a curve has two breakpoints or more, or is drawn freely")
    _check_rising(f"{at}.points", curve.points)


def free_id(plain: dict[str, Any], prefix: str) -> str:
    """An id that nothing has in a document given as plain data."""
    taken = {one["id"] for part in ("layers", "modulators", "routes") for one in plain[part]}
    return next(f"{prefix}{n}" for n in range(1, len(taken) + 2) if f"{prefix}{n}" not in taken)
