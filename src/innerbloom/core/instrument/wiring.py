"""Working on what moves: modulators and routes made, mirrored, reused and taken away.

Each function takes a document and gives a changed copy; none alters what it was given.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from innerbloom.core.declare.sound import Sound
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.catalogue import MODULATOR_KINDS, SOURCES
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.core.instrument.modulation import (
    MAX_MODULATORS,
    MAX_ROUTES,
    Modulator,
    Route,
    envelope_of,
    modulator_of,
)
from innerbloom.core.instrument.owners import MAIN, free_id, lists_of, owners_of
from innerbloom.core.instrument.reach import (
    declared_of,
    depth_for,
    usual_depth,
)

Plain = dict[str, Any]


def _plain(document: Instrument) -> Plain:
    return document.model_dump(mode="json")


def add_modulator(document: Instrument, kind: str, name: str = "", **given: Any) -> Instrument:
    """A modulator more, with a name that no other has.

    Raises
    ------
    DocumentError
        If there are as many as may be, or the kind is unknown.
    """
    if kind not in MODULATOR_KINDS:
        raise DocumentError(f"A modulator is one of {', '.join(MODULATOR_KINDS)}, not '{kind}'.")
    if len(document.modulators) >= MAX_MODULATORS:
        raise DocumentError(f"An instrument has {MAX_MODULATORS} modulators at most: remove one.")
    plain = _plain(document)
    plain["modulators"].append(
        {
            "id": free_id(plain, "m"),
            "kind": kind,
            **given,
            "name": _free_name(document, name or _capital(MODULATOR_KINDS[kind].name)),
        }
    )
    return parse_instrument(plain)


def _capital(name: str) -> str:
    return name[:1].upper() + name[1:]


def _free_name(document: Instrument, name: str) -> str:
    owners: list[Any] = [*document.modulators, *document.layers]
    taken = {one.name.casefold() for one in (*owners, *SOURCES)}
    names = [name, *(f"{name[:112]} {number}" for number in range(2, 100))]
    return next(one for one in names if one.casefold() not in taken)


def modulator_called(document: Instrument, id_: str) -> Modulator:
    """A modulator by its id; DocumentError if it is gone."""
    found = next((one for one in document.modulators if one.id == id_), None)
    if found is None:
        raise DocumentError("This modulator is no longer there.")
    return found


def route_called(document: Instrument, id_: str) -> Route:
    """A route by its id; DocumentError if it is gone."""
    found = next((one for one in document.routes if one.id == id_), None)
    if found is None:
        raise DocumentError("This route is no longer there.")
    return found


def without(document: Instrument, ids: set[str]) -> Instrument:
    """The document without some modulators, routes or layers, and whatever spoke of them.

    Raises
    ------
    DocumentError
        If no layer would be left.
    """
    plain = _plain(document)
    gone = set(ids)
    owners = owners_of(document).values()
    gone |= {one.id for one in owners if one.within in gone}
    gone |= {one.id for one in owners if one.role == "send" and one.part.to in gone}
    while True:
        more = {
            route["id"]
            for route in plain["routes"]
            if route["target"] in gone or _speaks_of(route["source"], gone)
        }
        if more <= gone:
            break
        gone |= more
    for part in lists_of(plain):
        part[:] = [one for one in part if one["id"] not in gone]
    if not plain["layers"]:
        raise DocumentError("An instrument keeps at least one layer: add another one first.")
    _no_longer_speak_of(plain, gone)
    return parse_instrument(plain)


def _no_longer_speak_of(plain: dict[str, Any], gone: set[str]) -> None:
    """Take what is gone out of whatever named it."""
    for layer in plain["layers"]:
        layer["output"] = MAIN if layer["output"] in gone else layer["output"]
    for route in plain["routes"]:
        if route["by"] is not None and _speaks_of(route["by"], gone):
            route["by"] = None
    for one in plain["modulators"]:
        if one["follows"] in gone:
            one["follows"] = None
    for part in lists_of(plain):
        for one in part:
            if one.get("listens_to") in gone:
                one["listens_to"] = None


def take_course(document: Instrument, modulator: str, sound: Sound) -> Instrument:
    """Let a contour take its course from a recording.

    Raises
    ------
    DocumentError
        If it is gone, or no contour.
    """
    if MODULATOR_KINDS[modulator_called(document, modulator).kind].needs != "recording":
        raise DocumentError("Only a contour takes its course from a recording.")
    plain = _plain(document)
    found = next(one for one in plain["modulators"] if one["id"] == modulator)
    found["sound"] = sound.model_dump(mode="json")
    return parse_instrument(plain)


def _speaks_of(source: str, gone: set[str]) -> bool:
    meant, envelope = modulator_of(source), envelope_of(source)
    return (meant is not None and meant[0] in gone) or (
        envelope is not None and envelope[1] in gone
    )


def add_route(
    document: Instrument, source: str, target: str, parameter: str, **given: Any
) -> Instrument:
    """A route more.

    Parameters
    ----------
    **given
        Fields of the route, or ``low`` and ``high``: where it is to land, in real units.
    """
    if len(document.routes) >= MAX_ROUTES:
        raise DocumentError(f"An instrument has {MAX_ROUTES} routes at most: remove one first.")
    declared = declared_of(document, target, parameter)
    low, high = given.pop("low", None), given.pop("high", None)
    plain = _plain(document)
    route = {
        "id": free_id(plain, "r"),
        "source": source,
        "target": target,
        "parameter": parameter,
        "depth": usual_depth(declared),
        **given,
    }
    plain["routes"].append(route)
    # a source has to be known before its reach can be
    made = parse_instrument(plain)
    if low is None or high is None:
        return made
    plain["routes"][-1] |= depth_for(made, source, target, parameter, low, high)
    return parse_instrument(plain)


def land_on(document: Instrument, route: str, low: float, high: float) -> Instrument:
    """A route made to land exactly on two values of its target, in real units."""
    found = route_called(document, route)
    plain = _plain(document)
    number = document.routes.index(found)
    plain["routes"][number] |= depth_for(
        document, found.source, found.target, found.parameter, low, high
    )
    return parse_instrument(plain)


def mirror(document: Instrument, route: str, target: str, parameter: str) -> Instrument:
    """The same shape sent to a second target, the other way up.

    It is scaled to balance the first: by as large a share of the second target's range (or of
    the octaves of it) as the first takes of its own.
    """
    found = route_called(document, route)
    first = declared_of(document, found.target, found.parameter)
    second = declared_of(document, target, parameter)
    alike = first.unit == second.unit == "dB"
    depth = -found.depth * (1.0 if alike else _whole(second) / _whole(first))
    plain = found.model_dump(mode="json", exclude={"id", "target", "parameter", "depth"})
    return add_route(document, target=target, parameter=parameter, depth=depth, **plain)


def _whole(declared: Any) -> float:
    if declared.scale == "log":
        return float(np.log2(declared.high / declared.low))
    return float(declared.high - declared.low)


def randomise_macros(document: Instrument, seed: int) -> Instrument:
    """Every macro at a random setting; each target stays inside its route's range."""
    chance = np.random.default_rng(seed)
    plain = _plain(document)
    for one in plain["modulators"]:
        if MODULATOR_KINDS[one["kind"]].shared and "value" in one["settings"]:
            one["settings"]["value"] = round(100 * float(chance.random()), 1)
    return parse_instrument(plain)
