"""Modulators and routes: what moves in an instrument, and what it moves."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING, Annotated, Any, Literal, TypeAlias

from pydantic import Field, StringConstraints, WithJsonSchema, create_model

from innerbloom.core.declare.model import Bend, Id, Model, Name, Share, TwoSided, refuse
from innerbloom.core.declare.parameters import Settings, settings_model
from innerbloom.core.declare.registry import ByKind, settings_of
from innerbloom.core.declare.sound import Sound
from innerbloom.core.declare.validation import nearest
from innerbloom.core.instrument.catalogue import (
    CONTROLLERS,
    DEPTH,
    ENVELOPE_NAMES,
    MODULATOR_KINDS,
    ROUTE,
    SOURCES,
)
from innerbloom.core.instrument.owners import Owner, movable_names, owners_of

MAX_MODULATORS = 32
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


@cache
def modulator_model(kind: str) -> type[Modulator]:
    """The model of one kind of modulator."""
    settings = settings_of(MODULATOR_KINDS[kind])
    return create_model(
        f"{kind.title()}Modulator",
        __base__=Modulator,
        kind=(Literal[kind], kind),  # type: ignore[valid-type, arg-type]
        settings=(settings, Field(default_factory=settings)),
    )


RouteSettings: type[Settings] = settings_model("RouteSettings", ROUTE)
AnyModulator = Annotated[Modulator, ByKind(MODULATOR_KINDS, modulator_model, "a modulator")]

# models made from the registry look like their bases to a type checker
if TYPE_CHECKING:
    RouteBase = Settings
else:
    RouteBase = RouteSettings

_NAMED = "|".join(source.id for source in SOURCES)
_OF_LAYER = rf"({'|'.join(ENVELOPE_NAMES)}):[a-z0-9]{{1,16}}"
_SOURCE = rf"^({_NAMED}|controller:\d{{1,3}}|m:[a-z0-9]{{1,16}}(:other)?|{_OF_LAYER})$"
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
        ``m:ID`` for a modulator, ``m:ID:other`` for an LFO's other side, or ``envelope:ID`` or
        ``tone_envelope:ID`` for an envelope of another layer than the one that is moved.
    target, parameter : str
        Id of the owner that is moved, and of its parameter.
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
    parameter: Annotated[
        str, StringConstraints(max_length=40), WithJsonSchema({"enum": movable_names()})
    ]
    depth: float = Field(ge=DEPTH.low, le=DEPTH.high)
    polarity: Literal[POLARITIES] = "as is"  # type: ignore[valid-type]
    curve: Curve | None = None
    span: tuple[TwoSided, TwoSided] | None = None
    by: SourceName | None = None
    on: bool = True


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


def envelope_of(source: str) -> tuple[str, str | None] | None:
    """Which envelope a source's name means, and of which layer; None for that which is moved."""
    which, _, layer = source.partition(":")
    return (which, layer or None) if which in ENVELOPE_NAMES else None


def envelopes_layer(route: Any) -> str:
    """Id of the layer whose envelopes a route reads."""
    found = [envelope_of(source) for source in (route.source, route.by) if source is not None]
    layers = [one[1] or route.target for one in found if one is not None]
    return layers[0] if layers else str(route.target)


def reading_of(document: Any, source: str) -> SourceReading:
    """What is known of a source; KeyError for a modulator or a layer that is not there."""
    meant = modulator_of(source)
    if meant is not None:
        found = {one.id: one for one in document.modulators}[meant[0]]
        both = MODULATOR_KINDS[found.kind].swings(found.settings)
        name = f"{found.name}, other side" if meant[1] else found.name
        return SourceReading(name, both, 1.0)
    if source.startswith("controller:"):
        return SourceReading(f"controller {source.partition(':')[2]}", False, 1.0)
    envelope = envelope_of(source)
    if envelope is not None and envelope[1] is not None:
        layer = {one.id: one for one in document.layers}[envelope[1]]
        return SourceReading(f"{layer.name}, {envelope[0].replace('_', ' ')}", False, 1.0)
    named = next(one for one in SOURCES if one.id == source)
    return SourceReading(named.name, named.two_sided, named.reach)


def check_movement(document: Any) -> None:
    """See that modulators and routes speak of what is there.

    Raises
    ------
    DocumentError
    """
    for kind in MODULATOR_KINDS.values():
        count = sum(one.kind == kind.id for one in document.modulators)
        if kind.most is not None and count > kind.most:
            raise refuse("modulators", f"there are {count} {kind.name}s; {kind.most} at most")
    layers = {layer.id for layer in document.layers}
    for number, one in enumerate(document.modulators):
        at = f"modulators.{number}"
        _check_rising(f"{at}.points", one.points)
        if one.follows is not None and one.follows not in layers:
            raise refuse(f"{at}.follows", f"there is no layer '{one.follows}'")
    owners = owners_of(document)
    for number, route in enumerate(document.routes):
        _check_route(f"routes.{number}", route, document, owners)


def _check_rising(at: str, points: list[tuple[float, float, float]]) -> None:
    places = [place for place, _, _ in points]
    if places != sorted(places):
        raise refuse(at, "its places have to rise")


def _check_source(at: str, source: str, document: Any) -> None:
    if source.startswith("controller:") and int(source.partition(":")[2]) >= CONTROLLERS:
        raise refuse(at, f"controllers go from 0 to {CONTROLLERS - 1}")
    envelope = envelope_of(source)
    if envelope is not None and envelope[1] not in (None, *(one.id for one in document.layers)):
        raise refuse(at, f"there is no layer '{envelope[1]}'")
    meant = modulator_of(source)
    if meant is None:
        return
    found = next((one for one in document.modulators if one.id == meant[0]), None)
    if found is None:
        raise refuse(at, f"there is no modulator '{meant[0]}'")
    if meant[1] >= MODULATOR_KINDS[found.kind].sides:
        raise refuse(at, f"'{found.name}' has no other side")


def _check_route(at: str, route: Route, document: Any, owners: dict[str, Owner]) -> None:
    _check_source(f"{at}.source", route.source, document)
    if route.by is not None:
        _check_source(f"{at}.by", route.by, document)
    owner = owners.get(route.target)
    if owner is None:
        raise refuse(f"{at}.target", f"there is nothing called '{route.target}' to move")
    if owner.target(route.parameter) is None:
        meant = nearest(route.parameter, [one.id for one in owner.targets()])
        like = f", the nearest is '{meant}'" if meant else ""
        raise refuse(
            f"{at}.parameter", f"'{route.parameter}' of {owner.what} cannot be moved{like}"
        )
    envelopes = [
        found for found in map(envelope_of, filter(None, (route.source, route.by))) if found
    ]
    if owner.role != "layer" and envelopes:
        raise refuse(f"{at}.source", "an envelope of a layer moves layers only")
    if len({layer or route.target for _, layer in envelopes}) > 1:
        raise refuse(f"{at}.by", "both envelopes of a route have to be of one layer")
    if route.curve is not None:
        _check_curve(f"{at}.curve", route.curve)


def _check_curve(at: str, curve: Curve) -> None:
    if curve.free and len(curve.free) != FREE_STEPS:
        raise refuse(f"{at}.free", f"a free curve has {FREE_STEPS} values")
    if bool(curve.free) == (len(curve.points) >= 2):
        raise refuse(at, "a curve has two breakpoints or more, or is drawn freely")
    _check_rising(f"{at}.points", curve.points)
