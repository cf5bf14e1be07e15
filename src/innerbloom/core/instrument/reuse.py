"""Movements kept for reuse: a modulator with its routes, dropped into another instrument."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.catalogue import MODULATOR_KINDS
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.instrument.modulation import Route, modulator_of
from innerbloom.core.instrument.owners import owner_of, owners_of
from innerbloom.core.instrument.reach import declared_of, usual_depth
from innerbloom.core.instrument.wiring import add_modulator, add_route, modulator_called

Plain = dict[str, Any]

PIECE_FORMAT = "inner-bloom/movement"
_KEPT = set(Route.model_fields) - {"id", "target", "parameter", "source", "by"}
"""What a kept route keeps of itself; where it goes and where it comes from are found anew."""


def take_piece(document: Instrument, modulator: str) -> Plain:
    """A modulator with its routes, to drop into another instrument; plain data for JSON."""
    found = modulator_called(document, modulator)
    routes = []
    for route in document.routes:
        meant = modulator_of(route.source)
        owner = owner_of(document, route.target)
        if meant is None or meant[0] != modulator or owner is None or owner.role == "route":
            continue
        if owner.id == modulator:
            where: Plain = {"itself": True}
        else:
            where = {"kind": owner.kind, "name": getattr(owner.part, "name", "")}
        kept = route.model_dump(mode="json", include=_KEPT)
        declared = declared_of(document, route.target, route.parameter)
        told = {"name": declared.name, "group": declared.group, "unit": declared.moved_in}
        routes.append(
            {**kept, "parameter": route.parameter, "told": told, "side": meant[1], "to": where}
        )
    return {
        "format": PIECE_FORMAT,
        "version": 1,
        "modulator": found.model_dump(mode="json", exclude={"id", "follows"}),
        "routes": routes,
    }


def drop_piece(document: Instrument, piece: Any) -> Instrument:
    """Put a piece into an instrument; what finds no target is left out, see :func:`missed_by`.

    A target is matched by its parameter: in a layer of the same name and kind, else the first
    of the same kind, else the first that has such a parameter.
    """
    modulator, routes = _read(piece)
    given = {key: value for key, value in modulator.items() if key not in ("kind", "name", "id")}
    made = add_modulator(
        document, str(modulator.get("kind")), str(modulator.get("name", "")), **given
    )
    id_ = made.modulators[-1].id
    for route in routes:
        target = _target_for(made, route, id_)
        if target is not None:
            made = _with_kept(made, route, id_, (target, str(route.get("parameter"))))
    return made


def check_piece(piece: Any) -> None:
    """Refuse what is no movement that was kept, or not all of one; raises a DocumentError."""
    _read(piece)


def _read(piece: Any) -> tuple[Plain, list[Plain]]:
    if not isinstance(piece, dict) or piece.get("format") != PIECE_FORMAT:
        raise DocumentError("This is not a movement that was kept from an instrument.")
    modulator, routes = piece.get("modulator"), piece.get("routes")
    if (
        not isinstance(modulator, dict)
        or not isinstance(routes, list)
        or not all(isinstance(route, dict) for route in routes)
    ):
        raise DocumentError("This movement is incomplete: keep it again.")
    return modulator, routes


def _with_kept(
    document: Instrument, route: Plain, modulator: str, target: tuple[str, str], **changed: Any
) -> Instrument:
    fields = {key: value for key, value in route.items() if key in _KEPT}
    source = f"m:{modulator}:other" if route.get("side") else f"m:{modulator}"
    return add_route(document, source, *target, **{**fields, **changed})


@dataclass(frozen=True)
class Missed:
    """A route of a piece that an instrument has no target for.

    Attributes
    ----------
    which : int
        Its place among the routes of the piece.
    name : str
        What it moved, in words.
    offers : tuple of (owner, parameter)
        What comes nearest to that here, the nearest first; three at most.
    """

    which: int
    name: str
    offers: tuple[tuple[str, str], ...]


_MOST_OFFERS = 3


def missed_by(document: Instrument, piece: Any, modulator: str) -> list[Missed]:
    """The routes of a piece, dropped as ``modulator``, that found no target."""
    _, routes = _read(piece)
    out = []
    for which, route in enumerate(routes):
        if _target_for(document, route, modulator) is not None:
            continue
        told = route.get("told", {})
        name = str(told.get("name") or route.get("parameter")).replace("_", " ")
        out.append(Missed(which, name, _nearest_targets(document, told, modulator)))
    return out


def _nearest_targets(document: Instrument, told: Plain, itself: str) -> tuple[tuple[str, str], ...]:
    """By what they are called, by their heading, and by the unit they are moved in."""
    found: list[tuple[int, int, tuple[str, str]]] = []
    for owner in owners_of(document).values():
        if owner.role == "route" or owner.id == itself:
            continue
        for declared in owner.targets():
            alike = (
                4 * (declared.name == told.get("name"))
                + 2 * (declared.group == told.get("group"))
                + (declared.moved_in == told.get("unit"))
                # routes are laid to what sounds rather than to what moves
                + (owner.role == "layer")
            )
            found.append((-alike, len(found), (owner.id, declared.id)))
    return tuple(target for _, _, target in sorted(found)[:_MOST_OFFERS])


def adopt(
    document: Instrument, piece: Any, which: int, modulator: str, target: tuple[str, str]
) -> Instrument:
    """One of the routes of a piece laid to a target of its own: as deep where the unit is the
    same, else as deep as is usual there.

    Raises
    ------
    DocumentError
        If the piece has no such route, or the target cannot be.
    """
    _, routes = _read(piece)
    if not 0 <= which < len(routes):
        raise DocumentError("This movement has no such route: drop it again.")
    modulator_called(document, modulator)
    route = routes[which]
    owner = owner_of(document, target[0])
    declared = None if owner is None else owner.target(target[1])
    if declared is None:
        raise DocumentError("This control is no longer there: choose another one.")
    same = declared.moved_in == route.get("told", {}).get("unit")
    changed = {} if same else {"depth": usual_depth(declared), "span": None}
    return _with_kept(document, route, modulator, target, **changed)


def _target_for(document: Instrument, route: Plain, itself: str) -> str | None:
    to, parameter = route.get("to", {}), str(route.get("parameter"))
    if to.get("itself"):
        return itself
    owners = [one for one in owners_of(document).values() if one.role != "route"]
    fitting = [one for one in owners if one.id != itself and one.target(parameter)]
    alike = [one for one in fitting if one.kind == to.get("kind")]
    same = [one for one in alike if getattr(one.part, "name", "") == to.get("name")]
    if to.get("kind") in MODULATOR_KINDS:
        fitting = alike
    found = (*same, *alike, *fitting)
    return found[0].id if found else None
