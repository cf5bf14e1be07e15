"""From a document's modulators and routes to the plain arrays of :mod:`.kernels.routing`."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.curves import TABLE_STEPS, in_steps, through
from innerbloom.core.declare.sound import Sound
from innerbloom.core.engine.kernels.routing import MOVE, TARGET
from innerbloom.core.engine.layout import Key, Layout
from innerbloom.core.engine.schedule import Schedule, shared, source_number
from innerbloom.core.instrument.catalogue import MODULATOR_KINDS
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.instrument.modulation import (
    Modulator,
    Route,
    SourceReading,
    envelopes_layer,
    reading_of,
)
from innerbloom.core.instrument.shared_parameters import MEMBER, MEMBER_TARGETS
from innerbloom.core.materials.described import ContourRequest
from innerbloom.core.materials.protocol import Materials, Stretch
from innerbloom.core.modulators.common import MODULATOR, lag_share

WHOLE = -1
"""Number of what a follower listens to where that is no layer."""

_NOTHING = np.zeros((1, 3))


@dataclass(frozen=True)
class ModulationProgram:
    """All that moves in an instrument, ready to run.

    Attributes
    ----------
    modulators : ndarray of MODULATOR; ids : tuple of str
    tables : ndarray, shape (tables, TABLE_STEPS + 1); steps : ndarray, shape (steps, 2)
        Drawn cycles and shapes, and step patterns, of all modulators.
    contours : ndarray, shape (moments, 3)
        Of all contours; see :mod:`innerbloom.core.analysis.contour`.
    follows : tuple of int
        Layers that are listened to; WHOLE for all.
    moves : ndarray of MOVE; route_ids : tuple of str
        In the document's order.
    switched_on : ndarray of bool
        Which routes are on.
    curves : ndarray, shape (curves, TABLE_STEPS + 1)
    targets : ndarray of TARGET; keys : tuple of (owner, parameter)
    members : ndarray of float64, shape (members, targets)
    schedule : ndarray of int64, shape (jobs, 2); late_from : int
        What each voice does in a tick; from ``late_from`` on, after its envelopes.
    lead_schedule : ndarray of int64, shape (jobs, 2)
        What the leader does.
    in_voice : tuple of bool
        Which routes run in every voice rather than in the leader alone.
    """

    modulators: NDArray[Any]
    ids: tuple[str, ...]
    tables: NDArray[np.float64]
    steps: NDArray[np.float64]
    contours: NDArray[np.float64]
    follows: tuple[int, ...]
    moves: NDArray[Any]
    route_ids: tuple[str, ...]
    switched_on: NDArray[np.bool_]
    curves: NDArray[np.float64]
    targets: NDArray[Any]
    keys: tuple[Key, ...]
    members: NDArray[np.float64]
    schedule: NDArray[np.int64]
    late_from: int
    lead_schedule: NDArray[np.int64]
    in_voice: tuple[bool, ...]


def compile_modulation(
    document: Instrument, layout: Layout, materials: Materials
) -> ModulationProgram:
    """Turn modulators, routes and the stack into arrays.

    Parameters
    ----------
    materials : Materials
        Finds the course of a recording.

    Raises
    ------
    BloomError
        If a recording cannot be found.
    """
    drawn = _Drawings(document, layout, materials)
    targets = _Targets(layout)
    for route in document.routes:
        targets.place(route.target, route.parameter)
    members = [targets.offsets_of(member, document) for member in document.stack]
    curves: list[NDArray[np.float64]] = []
    moves = np.zeros(len(document.routes), MOVE)
    for record, route in zip(moves, document.routes, strict=True):
        _describe(record, document, route, layout, targets)
        _polarise(record, document, route, _curve(route, curves))
    schedule = Schedule(document, layout, targets)
    early, late = schedule.of_voices(), schedule.late()
    return ModulationProgram(
        modulators=drawn.modulators,
        ids=tuple(one.id for one in document.modulators),
        tables=np.array(drawn.tables).reshape(-1, TABLE_STEPS + 1),
        steps=np.array(drawn.steps, np.float64).reshape(-1, 2),
        contours=np.concatenate([np.zeros((0, 3)), *drawn.contours]),
        follows=tuple(drawn.follows),
        moves=moves,
        route_ids=tuple(one.id for one in document.routes),
        switched_on=np.array([one.on for one in document.routes], np.bool_),
        curves=np.array(curves).reshape(-1, TABLE_STEPS + 1),
        targets=targets.records(),
        keys=tuple(targets.keys),
        members=np.array([[m.get(k, 0.0) for k in range(len(targets.keys))] for m in members]),
        schedule=np.array(early + late, np.int64).reshape(-1, 2),
        late_from=len(early),
        lead_schedule=np.array(schedule.of_leader(), np.int64).reshape(-1, 2),
        in_voice=tuple(schedule.in_voice(one) for one in document.routes),
    )


class _Drawings:
    """Lays out what modulators draw and listen to."""

    def __init__(self, document: Instrument, layout: Layout, materials: Materials) -> None:
        self.modulators = np.zeros(len(document.modulators), MODULATOR)
        self.tables: list[NDArray[np.float64]] = []
        self.steps: list[tuple[float, float]] = []
        self.contours: list[NDArray[np.float64]] = []
        self.follows: list[int] = []
        self._materials = materials
        layers = [layer.id for layer in document.layers]
        for record, one in zip(self.modulators, document.modulators, strict=True):
            record["kind"] = MODULATOR_KINDS.number(one.kind)
            record["at"], record["shared"] = layout.starts[one.id], int(shared(one))
            record["count"] = len(one.steps)
            self._draw(record, one, layers)

    def _course(self, sound: Sound | None) -> NDArray[np.float64]:
        if sound is None:
            return _NOTHING
        return self._materials.get(ContourRequest(Stretch.of(sound)))

    def _draw(self, record: Any, one: Modulator, layers: list[str]) -> None:
        match MODULATOR_KINDS[one.kind].needs:
            case "cycle" | "shape":
                record["table"] = len(self.tables)
                self.tables.append(through(one.points))
            case "steps":
                record["first"] = len(self.steps)
                self.steps += one.steps
            case "recording":
                course = self._course(one.sound)
                record["first"] = sum(map(len, self.contours))
                record["count"] = len(course)
                self.contours.append(course)
            case "layer":
                layer = WHOLE if one.follows is None else layers.index(one.follows)
                if layer not in self.follows:
                    self.follows.append(layer)
                record["heard"] = self.follows.index(layer)


class _Targets:
    """Collects which values of the row are moved, and numbers them."""

    def __init__(self, layout: Layout) -> None:
        self._layout = layout
        self.keys: list[Key] = []

    def place(self, owner: str, parameter: str) -> int:
        """The number of a target, a new one if need be."""
        key = (owner, parameter)
        if key not in self.keys:
            self.keys.append(key)
        return self.keys.index(key)

    def of(self, owner: str) -> list[int]:
        """All targets of an owner."""
        return [number for number, key in enumerate(self.keys) if key[0] == owner]

    def records(self) -> NDArray[Any]:
        """All of them as TARGET records."""
        made = np.zeros(len(self.keys), TARGET)
        for record, (owner, parameter) in zip(made, self.keys, strict=True):
            declared = self._layout.owners[owner].target(parameter)
            assert declared is not None
            record["index"] = self._layout.column(owner, parameter)
            record["low"], record["high"] = declared.low, declared.high
            record["log"] = declared.scale == "log"
            record["instant"] = declared.instant
        return made

    def offsets_of(self, member: Any, document: Instrument) -> dict[int, float]:
        """What a member of the stack adds to each target."""
        found: dict[int, float] = {}
        for declared in MEMBER:
            amount = float(getattr(member, declared.id))
            for parameter in MEMBER_TARGETS[declared.id] if amount else ():
                for layer in document.layers:
                    if self._layout.owners[layer.id].parameter(parameter) is not None:
                        found[self.place(layer.id, parameter)] = amount
        return found


def _curve(route: Route, curves: list[NDArray[np.float64]]) -> int:
    if route.curve is None:
        return -1
    drawn = route.curve
    curves.append(in_steps(drawn.free) if drawn.free else through(drawn.points))
    return len(curves) - 1


def _describe(
    record: Any, document: Instrument, route: Route, layout: Layout, targets: _Targets
) -> None:
    """Enter what a route reads and moves into a MOVE."""
    layers = [layer.id for layer in document.layers]
    moved = layout.owners[route.target].target(route.parameter)
    # a choice of sound is never eased
    instant = moved is not None and moved.instant
    record["source"], record["by"] = source_number(document, route.source), -1
    if route.by is not None:
        record["by"] = source_number(document, route.by)
        record["by_scale"], record["by_offset"] = _as_share(reading_of(document, route.by))
    read = envelopes_layer(route)
    record["layer"] = layers.index(read) if read in layers else 0
    record["target"] = targets.place(route.target, route.parameter)
    record["depth"] = layout.column(route.id, "depth")
    record["amount"] = layout.column(route.id, "amount")
    for way in ("rise", "fall"):
        record[way] = 1.0 if instant else lag_share(float(getattr(route, way)))


def _as_share(reading: SourceReading) -> tuple[float, float]:
    """Scale and offset that make a source 0..1."""
    return (0.5 / reading.reach, 0.5) if reading.two_sided else (1.0, 0.0)


def _polarise(record: Any, document: Instrument, route: Route, curve: int) -> None:
    """Enter polarity, curve and span into a MOVE."""
    reading = reading_of(document, route.source)
    both, reach = reading.two_sided, reading.reach
    scale, offset, mirrored = 1.0, 0.0, 0
    match route.polarity:
        case "inverted":
            scale, offset = -1.0, 0.0 if both else 1.0
        case "one-sided":
            (scale, offset), both, reach = _as_share(reading), False, 1.0
        case "two-sided" if not both:
            scale, offset, both = 2.0, -1.0, True
        case "mirrored":
            scale, offset = (1.0 / reach, 0.0) if both else (2.0, -1.0)
            both, reach, mirrored = False, 1.0, 1
    clamped = int(route.polarity == "one-sided" and reading.two_sided)
    size, base = 1.0, 0.0
    if curve >= 0 or route.span is not None:
        clamped = 1
        if both:
            scale, offset = 0.5 * scale / reach, 0.5 * offset / reach + 0.5
            size, base = 2.0 * reach, -reach
    if route.span is not None:
        size, base = route.span[1] - route.span[0], route.span[0]
    record["scale"], record["offset"] = scale, offset
    record["mirrored"], record["clamped"], record["curve"] = mirrored, clamped, curve
    record["size"], record["base"] = size, base
