"""From a document's modulators and routes to the plain arrays of :mod:`.kernels.routing`."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.engine.jobs import Jobs, shared, source_number
from innerbloom.core.engine.kernels.beginning import MODULATOR, lag_share
from innerbloom.core.engine.kernels.routing import (
    MOVE,
    TARGET,
)
from innerbloom.core.instrument.catalogue import KINDS, MODULATOR_KINDS
from innerbloom.core.instrument.catalogue import ROUTE as ROUTE_PARAMETERS
from innerbloom.core.instrument.curves import TABLE_STEPS, in_steps, through
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.instrument.movement import (
    Modulator,
    Route,
    SourceReading,
    declared_target,
    owner_of,
    reading_of,
)
from innerbloom.core.instrument.parameters import Declared, changes_at_once, settings_row
from innerbloom.core.instrument.shared_parameters import MEMBER, MEMBER_TARGETS
from innerbloom.core.instrument.sound import Sound

_AMOUNT = next(one for one in ROUTE_PARAMETERS if one.id == "amount")
_WHOLE = -1
_NOTHING = np.zeros((1, 3))

Key = tuple[str, str]
"""Id of what is moved, and of its parameter."""


@dataclass(frozen=True)
class Movement:
    """All that moves in an instrument, ready to run.

    Attributes
    ----------
    row : ndarray of float64
        What the modulators' settings, the amounts that routes move and the morph stand at,
        after those of the layers.
    stepped : ndarray of bool
        Which of them change at once.
    places : dict
        Where each of them lies in the row of all.
    modulators : ndarray of MODULATOR; ids : tuple of str
    tables : ndarray, shape (tables, TABLE_STEPS + 1); steps : ndarray, shape (steps, 2)
        Drawn cycles and shapes, and step patterns, of all modulators.
    contours : ndarray, shape (moments, 3)
        Of all contours; see :mod:`innerbloom.core.analysis.contour`.
    follows : tuple of int
        Layers that are listened to; -1 for the whole.
    moves : ndarray of MOVE; depths : ndarray of float64; route_ids : tuple of str
        In the document's order; the depth of a route that is off is 0.
    amounts : ndarray of float64
        Shares of the depths, for routes whose amount nothing moves; else 1.
    on : bool
        Whether routes move anything at all.
    curves : ndarray, shape (curves, TABLE_STEPS + 1)
    targets : ndarray of TARGET; keys : tuple of (owner, parameter)
    members : ndarray of float64, shape (members, targets)
    jobs : ndarray of int64, shape (jobs, 2); late_from : int
        What each voice does in a tick; from ``late_from`` on, after its envelopes.
    lead_jobs : ndarray of int64, shape (jobs, 2)
        What the leader does.
    in_voice : tuple of bool
        Which routes run in every voice rather than in the leader alone.
    """

    row: NDArray[np.float64]
    stepped: NDArray[np.bool_]
    places: dict[Key, int]
    modulators: NDArray[Any]
    ids: tuple[str, ...]
    tables: NDArray[np.float64]
    steps: NDArray[np.float64]
    contours: NDArray[np.float64]
    follows: tuple[int, ...]
    moves: NDArray[Any]
    depths: NDArray[np.float64]
    amounts: NDArray[np.float64]
    on: bool
    route_ids: tuple[str, ...]
    curves: NDArray[np.float64]
    targets: NDArray[Any]
    keys: tuple[Key, ...]
    members: NDArray[np.float64]
    jobs: NDArray[np.int64]
    late_from: int
    lead_jobs: NDArray[np.int64]
    in_voice: tuple[bool, ...]


def compile_movement(
    document: Instrument,
    offsets: NDArray[np.int64],
    start: int,
    contour: Callable[[Sound], NDArray[np.float64]],
) -> Movement:
    """Turn modulators, routes and the stack into arrays.

    Parameters
    ----------
    offsets : ndarray of int64, shape (layers,)
        Where each layer's settings begin in the row of all.
    start : int
        Where the layers' settings end.
    contour : callable
        Finds the course of a recording.

    Raises
    ------
    BloomError
        If a recording cannot be found.
    """
    layout = _Layout(document, offsets, start, contour)
    targets = _Targets(document, layout.places)
    for route in document.routes:
        targets.place(route.target, route.parameter)
    members = [targets.offsets_of(member) for member in document.stack]
    curves: list[NDArray[np.float64]] = []
    moves = [_move(document, route, layout, targets, curves) for route in document.routes]
    jobs = Jobs(document, targets)
    early, late, everything = jobs.of_voices(), jobs.late(), jobs.of_leader()
    return Movement(
        np.array(layout.row),
        np.array(layout.stepped, np.bool_),
        layout.places,
        np.array(layout.modulators, MODULATOR),
        tuple(one.id for one in document.modulators),
        np.array(layout.tables).reshape(-1, TABLE_STEPS + 1),
        np.array(layout.steps, np.float64).reshape(-1, 2),
        np.concatenate([np.zeros((0, 3)), *layout.contours]),
        tuple(layout.follows),
        np.array(moves, MOVE),
        np.array([one.depth * one.on for one in document.routes], np.float64),
        np.array([_still_amount(one, layout) for one in document.routes], np.float64),
        document.settings.routes == "on",  # type: ignore[attr-defined]
        tuple(one.id for one in document.routes),
        np.array(curves).reshape(-1, TABLE_STEPS + 1),
        np.array(targets.records, TARGET),
        tuple(targets.keys),
        np.array([[m.get(k, 0.0) for k in range(len(targets.keys))] for m in members]),
        np.array(early + late, np.int64).reshape(-1, 2),
        len(early),
        np.array(everything, np.int64).reshape(-1, 2),
        tuple(jobs.in_voice(one) for one in document.routes),
    )


def _still_amount(route: Route, layout: _Layout) -> float:
    if (route.id, "amount") in layout.places:
        return 1.0
    return 0.01 * float(route.amount)  # type: ignore[attr-defined]


class _Layout:
    """Lays out the row, and what modulators draw and listen to."""

    def __init__(
        self,
        document: Instrument,
        offsets: NDArray[np.int64],
        start: int,
        contour: Callable[[Sound], NDArray[np.float64]],
    ) -> None:
        self.places: dict[Key, int] = {}
        self.row: list[float] = []
        self.stepped: list[bool] = []
        self.modulators: list[tuple[int, ...]] = []
        self.tables: list[NDArray[np.float64]] = []
        self.steps: list[tuple[float, float]] = []
        self.contours: list[NDArray[np.float64]] = []
        self.follows: list[int] = []
        self._contour = contour
        self._start = start
        for layer, at in zip(document.layers, offsets, strict=True):
            for i, setting in enumerate(KINDS[layer.kind]):
                self.places[layer.id, setting.id] = int(at) + i
        layers = [layer.id for layer in document.layers]
        for one in document.modulators:
            self._modulator(one, layers)
        for id_ in dict.fromkeys(route.target for route in document.routes):
            owner = owner_of(document, id_)
            if isinstance(owner, Route):
                self._put(id_, _AMOUNT, float(owner.amount))  # type: ignore[attr-defined]
        self.row.append(float(document.settings.morph))  # type: ignore[attr-defined]
        self.stepped.append(False)

    def _put(self, owner: str, declared: Declared, value: float) -> None:
        self.places[owner, declared.id] = self._start + len(self.row)
        self.row.append(value)
        self.stepped.append(changes_at_once(declared))

    def _modulator(self, one: Modulator, layers: list[str]) -> None:
        kind = MODULATOR_KINDS[one.kind]
        at = self._start + len(self.row)
        for declared, value in zip(
            kind.parameters, settings_row(one.settings, kind.parameters), strict=True
        ):
            self._put(one.id, declared, float(value))
        table = first = heard = 0
        count = len(one.steps)
        if kind.needs in ("cycle", "shape"):
            table = len(self.tables)
            self.tables.append(through(one.points))
        if kind.needs == "steps":
            first = len(self.steps)
            self.steps += one.steps
        if kind.needs == "recording":
            course = _NOTHING if one.sound is None else self._contour(one.sound)
            first, count = sum(map(len, self.contours)), len(course)
            self.contours.append(course)
        if kind.id == "follower":
            layer = _WHOLE if one.follows is None else layers.index(one.follows)
            if layer not in self.follows:
                self.follows.append(layer)
            heard = self.follows.index(layer)
        number = list(MODULATOR_KINDS).index(kind.id)
        self.modulators.append((number, at, int(shared(one)), table, first, count, heard))


class _Targets:
    """Collects which values of the row are moved, and numbers them."""

    def __init__(self, document: Instrument, places: dict[Key, int]) -> None:
        self._document, self._places = document, places
        self.keys: list[Key] = []
        self.records: list[tuple[float, ...]] = []

    def place(self, owner: str, parameter: str) -> int:
        """The number of a target, a new one if need be."""
        key = (owner, parameter)
        if key not in self.keys:
            p = declared_target(owner_of(self._document, owner), parameter)
            assert p is not None
            self.keys.append(key)
            self.records.append(
                (self._places[key], p.low, p.high, int(p.scale == "log"), int(p.instant))
            )
        return self.keys.index(key)

    def of(self, owner: str) -> list[int]:
        """All targets of a layer, modulator or route."""
        return [number for number, key in enumerate(self.keys) if key[0] == owner]

    def offsets_of(self, member: Any) -> dict[int, float]:
        """What a member of the stack adds to each target."""
        found: dict[int, float] = {}
        for declared in MEMBER:
            amount = float(getattr(member, declared.id))
            for parameter in MEMBER_TARGETS[declared.id] if amount else ():
                for layer in self._document.layers:
                    if (layer.id, parameter) in self._places:
                        found[self.place(layer.id, parameter)] = amount
        return found


def _curve(route: Route, curves: list[NDArray[np.float64]]) -> int:
    if route.curve is None:
        return -1
    drawn = route.curve
    curves.append(in_steps(drawn.free) if drawn.free else through(drawn.points))
    return len(curves) - 1


def _move(
    document: Instrument,
    route: Route,
    layout: _Layout,
    targets: _Targets,
    curves: list[NDArray[np.float64]],
) -> tuple[float, ...]:
    """A route as a MOVE."""
    layers = [layer.id for layer in document.layers]
    moved = declared_target(owner_of(document, route.target), route.parameter)
    # a choice of sound is never eased
    rise, fall = (0.0, 0.0) if moved and moved.instant else (route.rise, route.fall)  # type: ignore[attr-defined]
    by_scale, by_offset = (1.0, 0.0)
    if route.by is not None:
        by_scale, by_offset = _as_share(reading_of(document, route.by))
    return (
        source_number(document, route.source),
        -1 if route.by is None else source_number(document, route.by), by_scale, by_offset,
        layers.index(route.target) if route.target in layers else 0,
        targets.place(route.target, route.parameter),
        layout.places.get((route.id, "amount"), -1),
        *_polarised(document, route, _curve(route, curves)),
        lag_share(float(rise)), lag_share(float(fall)),
    )  # fmt: skip


def _as_share(reading: SourceReading) -> tuple[float, float]:
    """Scale and offset that make a source 0..1."""
    return (0.5 / reading.reach, 0.5) if reading.two_sided else (1.0, 0.0)


def _polarised(document: Instrument, route: Route, curve: int) -> tuple[float, ...]:
    """Scale, offset, mirrored, clamped, curve, size and base of a MOVE."""
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
    return scale, offset, mirrored, clamped, curve, size, base
