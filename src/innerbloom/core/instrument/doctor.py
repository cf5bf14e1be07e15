"""The doctor: routes and modulators that do nothing, or more than they should."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

import jsonpatch

from innerbloom.core.declare.parameters import Choice, Declared
from innerbloom.core.instrument.catalogue import MODULATOR_KINDS
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.instrument.modulation import Modulator, Route, modulator_of
from innerbloom.core.instrument.owners import Owner, owner_of, owners_of
from innerbloom.core.instrument.reach import (
    away,
    declared_of,
    extent,
    set_value,
    usual_depth,
)
from innerbloom.core.instrument.snapshot_map import map_of
from innerbloom.core.instrument.snapshots import MAP
from innerbloom.core.instrument.wiring import without
from innerbloom.core.instrument.wording import owner_name, sentence_of, target_name

Patch = list[dict[str, Any]]


@dataclass(frozen=True)
class Seen:
    """What was seen while notes sounded.

    Attributes
    ----------
    looks : int
        How often it was looked at, some thirty times a second.
    ranges : mapping of route id to (lowest, highest)
        What each route brought.
    clamped : mapping of (owner, parameter) to float
        Share of the looks at which the end of the range held the target.
    """

    looks: int = 0
    ranges: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    clamped: Mapping[tuple[str, str], float] = field(default_factory=dict)


@dataclass(frozen=True)
class Finding:
    """Something amiss.

    Attributes
    ----------
    id : str
        The same for as long as it is the same finding.
    about : tuple of str
        Ids of the routes or modulators it concerns.
    text, fix : str
        What is wrong, and what accepting the fix does.
    patch : list
        The fix, as JSON Patch (RFC 6902).
    """

    id: str
    about: tuple[str, ...]
    text: str
    fix: str
    patch: Patch


_ENOUGH_LOOKS = 90
_ENOUGH_FOR_HANDS = 1_800
"""Looks after which a wheel or pad that was not touched is said to be still: a minute."""

_MOST_CLAMPED = 0.1
_LOOP_POINTS = ("loop_start", "loop_length")


def examine(document: Instrument, seen: Seen | None = None) -> list[Finding]:
    """All findings, those that can be told from the document alone first."""
    looked = seen or Seen()
    found: list[Finding] = []
    for checks in (
        _zero_depths,
        _cancelling,
        _doubled,
        _without_effect,
        _bare_loops,
        _cycles,
        _idle_modulators,
    ):
        found += checks(document)
    if looked.looks >= _ENOUGH_LOOKS:
        found += _still(document, looked)
        found += _clamped(document, looked)
    return found


def _at(document: Instrument, route: Route) -> str:
    return f"/routes/{document.routes.index(route)}"


def _removal(document: Instrument, *gone: Route | Modulator) -> Patch:
    """Taking routes or modulators away, with whatever speaks of them."""
    left = without(document, {one.id for one in gone})
    patch = jsonpatch.make_patch(document.model_dump(mode="json"), left.model_dump(mode="json"))
    return list(patch)


def _short(document: Instrument, route: Route) -> str:
    said = sentence_of(document, route)
    return f"{said.source} to {said.owner} \N{MIDDLE DOT} {said.parameter}"


def _zero_depths(document: Instrument) -> Iterator[Finding]:
    for route in document.routes:
        if route.depth == 0.0:
            depth = usual_depth(declared_of(document, route.target, route.parameter))
            yield Finding(
                f"zero:{route.id}",
                (route.id,),
                f"{_short(document, route)} has a depth of 0.",
                "Give it a depth",
                [{"op": "replace", "path": f"{_at(document, route)}/depth", "value": depth}],
            )


def _cancelling(document: Instrument) -> Iterator[Finding]:
    seen: dict[str, Route] = {}
    for route in document.routes:
        if not route.on or route.depth == 0.0:
            continue
        kept = route.model_dump(mode="json", exclude={"id", "depth"})
        key = str(sorted((k, str(v)) for k, v in kept.items()))
        other = seen.get(key)
        if other is not None and other.depth + route.depth == 0.0:
            yield Finding(
                f"cancel:{other.id}:{route.id}",
                (other.id, route.id),
                f"Two routes from {_short(document, route)} cancel each other.",
                "Remove both",
                _removal(document, other, route),
            )
        seen[key] = route


def _doubled(document: Instrument) -> Iterator[Finding]:
    """Routes that are the same but for their ids."""
    seen: dict[str, Route] = {}
    for route in document.routes:
        key = str(sorted(route.model_dump(mode="json", exclude={"id"}).items(), key=str))
        first = seen.setdefault(key, route)
        if first is not route and route.depth != 0.0:
            yield Finding(
                f"double:{first.id}:{route.id}",
                (first.id, route.id),
                f"{_short(document, route)} is there twice: both together move it twice as far.",
                "Remove one",
                _removal(document, route),
            )


def _without_effect(document: Instrument) -> Iterator[Finding]:
    owners = owners_of(document)
    first, mapped = document.layers[0].id, map_of(document) is not None
    for route in document.routes:
        owner = owners[route.target]
        if not route.on or owner.role in ("modulator", "route"):
            continue
        why = _nowhere(route, owner.id == first, mapped)
        if why is not None:
            text = f"{_short(document, route)} has no effect: {why}."
            removal = _removal(document, route)
            yield Finding(f"idle:{route.id}", (route.id,), text, "Remove the route", removal)
            continue
        found = _unmet(owner, route.parameter) or _unheard(owner, owner.id == first)
        if found is not None:
            why, fix, setting, value = found
            text = f"{_short(document, route)} has no effect: {why}."
            path = f"{owner.settings_path}/{setting}"
            patch = [{"op": "replace", "path": path, "value": value}]
            yield Finding(f"idle:{route.id}", (route.id,), text, fix, patch)


def _nowhere(route: Route, first: bool, mapped: bool) -> str | None:
    """Why a route leads nowhere, whatever is set; None where it leads somewhere."""
    if route.parameter == "link_amount" and first:
        return "there is no layer above to move"
    if route.parameter in MAP and not mapped:
        return "no two snapshots lie on the map that differ"
    return None


def _unmet(owner: Owner, parameter: str) -> tuple[str, str, str, str] | None:
    """Why a parameter does not matter now, the remedy in words, the choice and its word."""
    declared: Declared | None = owner.parameter(parameter)
    if declared is None or declared.when is None:
        return None
    choice, words = declared.when
    if owner.value(choice) in words:
        return None
    of = owner.parameter(choice)
    word = next(w for w in words if isinstance(of, Choice) and w in of.options)
    name = of.name if of is not None else choice
    return f"{name} is '{owner.value(choice)}'", f"Set {name} to '{word}'", choice, word


def _unheard(owner: Owner, first: bool) -> tuple[str, str, str, str] | None:
    """The same where a layer is muted and moves no other, or an effect is off."""
    if owner.role == "layer" and owner.value("mute") == "on":
        if first or owner.value("link") == "off":
            return "the layer is muted", "Unmute the layer", "mute", "off"
    elif owner.role == "effect" and owner.value("on") == "off":
        return "the effect is off", "Switch the effect on", "on", "on"
    return None


def _bare_loops(document: Instrument) -> Iterator[Finding]:
    for owner in owners_of(document).values():
        if owner.parameter("crossfade") is None or float(owner.value("crossfade")) > 0:
            continue
        moved = [r for r in document.routes if r.target == owner.id and r.parameter in _LOOP_POINTS]
        if moved:
            yield Finding(
                f"bare:{owner.id}",
                tuple(route.id for route in moved),
                f"The loop of {owner.part.name} is moved without a crossfade, which is rough.",
                "Give it a crossfade of 10 %",
                [{"op": "replace", "path": f"{owner.settings_path}/crossfade", "value": 10.0}],
            )


def _idle_modulators(document: Instrument) -> Iterator[Finding]:
    sources = [source for route in document.routes for source in (route.source, route.by or "")]
    used = {meant[0] for meant in map(modulator_of, sources) if meant is not None}
    for one in document.modulators:
        if one.id not in used:
            yield Finding(
                f"unused:{one.id}",
                (one.id,),
                f"{one.name} moves nothing.",
                "Remove it",
                _removal(document, one),
            )
        elif MODULATOR_KINDS[one.kind].needs == "recording" and one.sound is None:
            yield Finding(
                f"empty:{one.id}",
                (one.id,),
                f"{one.name} has no recording to take its course from.",
                "Remove it with its routes",
                _removal(document, one),
            )


def _cycles(document: Instrument) -> Iterator[Finding]:
    """Routes that close a ring of modulators; a ring runs, a tick late at that place."""
    edges: dict[str, list[tuple[str, Route]]] = {}
    for route in document.routes:
        meant = modulator_of(route.source)
        if meant is not None and any(one.id == route.target for one in document.modulators):
            edges.setdefault(meant[0], []).append((route.target, route))
    for one in document.modulators:
        ring = _ring_from(one.id, edges)
        # each ring once: from its first modulator
        order = [m.id for m in document.modulators]
        if ring and min(order.index(step) for step, _ in ring) == order.index(one.id):
            names = " > ".join(owner_name(document, step) for step, _ in ring)
            last = ring[-1][1]
            yield Finding(
                "ring:" + "-".join(route.id for _, route in ring),
                tuple(route.id for _, route in ring),
                f"{names} > {one.name} go round in a ring, each a moment after the other.",
                "Remove the last step",
                _removal(document, last),
            )


def _ring_from(
    start: str, edges: dict[str, list[tuple[str, Route]]]
) -> list[tuple[str, Route]] | None:
    """Steps that lead from a modulator back to it."""
    waiting: list[tuple[str, list[tuple[str, Route]]]] = [(start, [])]
    met: set[str] = set()
    while waiting:
        here, way = waiting.pop(0)
        for target, route in edges.get(here, []):
            steps = [*way, (here, route)]
            if target == start:
                return steps
            if target not in met:
                met.add(target)
                waiting.append((target, steps))
    return None


def _still(document: Instrument, seen: Seen) -> Iterator[Finding]:
    for route in document.routes:
        low, high = seen.ranges.get(route.id, (0.0, 1.0))
        if high - low > 1e-9 or not route.on or not _should_move(document, route):
            continue
        by_hand = any(modulator_of(one) is None for one in (route.source, route.by or route.source))
        if by_hand and seen.looks < _ENOUGH_FOR_HANDS:
            continue
        said = _short(document, route)
        if route.by is not None and abs(high) < 1e-12:
            by = sentence_of(document, route).more
            scale = next((one for one in by if one.startswith("scaled")), "its scale")
            yield Finding(
                f"still:{route.id}",
                (route.id,),
                f"{said}: nothing arrives, {scale} holds at 0.",
                "Do not scale it",
                [{"op": "replace", "path": f"{_at(document, route)}/by", "value": None}],
            )
        else:
            yield Finding(
                f"still:{route.id}",
                (route.id,),
                f"{said}: the source never moves.",
                "Remove the route",
                _removal(document, route),
            )


def _should_move(document: Instrument, route: Route) -> bool:
    """Whether a source is one that moves within a note or by hand."""
    meant = modulator_of(route.source)
    if meant is None:
        return route.by is not None or route.source.startswith(("controller:", "wheel", "pad"))
    owner = owner_of(document, meant[0])
    return owner is not None and not MODULATOR_KINDS[owner.kind].steady


def _clamped(document: Instrument, seen: Seen) -> Iterator[Finding]:
    for (owner, parameter), share in seen.clamped.items():
        if share <= _MOST_CLAMPED or owner_of(document, owner) is None:
            continue
        routes = [
            r for r in document.routes if (r.target, r.parameter) == (owner, parameter) and r.on
        ]
        if not routes:
            continue
        factor = _fitting(document, owner, parameter, routes)
        patch: Patch = [
            {"op": "replace", "path": f"{_at(document, r)}/depth", "value": r.depth * factor}
            for r in routes
        ]
        yield Finding(
            f"clamped:{owner}:{parameter}",
            tuple(r.id for r in routes),
            f"{target_name(document, owner, parameter)} is held at the end of its range "
            f"{100 * share:.0f} % of the time.",
            "Make the routes fit",
            patch,
        )


def _fitting(document: Instrument, owner: str, parameter: str, routes: list[Route]) -> float:
    """By how much the depths have to shrink for the range to hold them all."""
    declared = declared_of(document, owner, parameter)
    value = set_value(document, owner, parameter)
    ends = [extent(document, route) for route in routes]
    low, high = sum(e[0] for e in ends), sum(e[1] for e in ends)
    room_low = away(declared, value, declared.low) if low < 0 else -1.0
    room_high = away(declared, value, declared.high) if high > 0 else 1.0
    shares = [room_low / low if low < 0 else 1.0, room_high / high if high > 0 else 1.0]
    return max(0.0, min(1.0, *shares))
