"""What there is to do in a tick, in order: what moves something comes before it."""

from __future__ import annotations

from typing import Protocol

from innerbloom.core.engine.kernels.routing import (
    ADVANCE,
    FIRST_MODULATOR,
    FIRST_SHAPE,
    PUT,
    ROUTE,
    SOURCE_COUNT,
)
from innerbloom.core.engine.layout import Layout
from innerbloom.core.instrument.catalogue import MODULATOR_KINDS, SOURCES
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.instrument.modulation import Modulator, Route, envelope_of, modulator_of
from innerbloom.core.instrument.owners import WHOLE_ID

_OF_VOICES = ("layer", "modulator", "route")
"""Roles of owners that may be moved apart in each voice."""


class Targets(Protocol):
    """The numbers of what is moved."""

    keys: list[tuple[str, str]]

    def place(self, owner: str, parameter: str) -> int: ...

    def of(self, owner: str) -> list[int]: ...


def shared(modulator: Modulator) -> bool:
    """Whether one modulator serves all notes, rather than each having its own."""
    restart = getattr(modulator.settings, "restart", "with each note")
    return MODULATOR_KINDS[modulator.kind].shared or restart != "with each note"


def source_number(document: Instrument, source: str) -> int:
    """How the engine counts sources: named ones, controllers, two sides of each modulator."""
    meant = modulator_of(source)
    if meant is not None:
        ids = [one.id for one in document.modulators]
        return FIRST_MODULATOR + 2 * ids.index(meant[0]) + meant[1]
    if source.startswith("controller:"):
        return SOURCE_COUNT + int(source.partition(":")[2])
    envelope = envelope_of(source)
    return [one.id for one in SOURCES].index(envelope[0] if envelope else source)


class Schedule:
    """Puts what there is to do in a tick in order.

    What moves a modulator or a route comes before it. In a cycle, whoever comes later in the
    document is read as it stood at the tick before.
    """

    def __init__(self, document: Instrument, layout: Layout, targets: Targets) -> None:
        self._document, self._layout, self.targets = document, layout, targets
        self.routes = {route.id: number for number, route in enumerate(document.routes)}
        self.modulators = {one.id: number for number, one in enumerate(document.modulators)}
        self.shared = {one.id for one in document.modulators if shared(one)}
        self.into: dict[str, list[Route]] = {}
        for route in document.routes:
            self.into.setdefault(route.target, []).append(route)

    def in_voice(self, route: Route) -> bool:
        """Whether a route runs in every voice."""
        seen = set()
        while route.target in self.routes and route.id not in seen:
            seen.add(route.id)
            route = self._document.routes[self.routes[route.target]]
        role = self._layout.owners[route.target].role
        return route.target not in self.shared and role in _OF_VOICES

    def is_late(self, route: Route) -> bool:
        """Whether a route needs the envelopes of this tick."""
        numbers = [source_number(self._document, one) for one in (route.source, route.by) if one]
        return any(FIRST_SHAPE <= number < SOURCE_COUNT for number in numbers)

    def of_voices(self) -> list[tuple[int, int]]:
        """Jobs of a voice before its envelopes move on."""
        return self._ordered(voice=True)

    def of_leader(self) -> list[tuple[int, int]]:
        """Jobs of the leader, which has no envelopes of layers."""
        return self._ordered(voice=False)

    def late(self) -> list[tuple[int, int]]:
        """Jobs that need the envelopes of this tick."""
        late = [route for route in self._document.routes if self.is_late(route)]
        touched = {self.targets.place(route.target, route.parameter) for route in late}
        jobs = [(ROUTE, self.routes[route.id]) for route in late]
        return jobs + [(PUT, number) for number in sorted(touched)]

    def _ordered(self, voice: bool) -> list[tuple[int, int]]:
        walk = _Walk(self, voice)
        # what the instrument stands at is there before anything reads it
        whole = [route for route in self._document.routes if route.target == WHOLE_ID]
        if not voice:
            for route in whole:
                walk.route(route)
            walk.jobs += [(PUT, number) for number in self.targets.of(WHOLE_ID)]
        for one in self._document.modulators:
            walk.modulator(one.id)
        for route in self._document.routes:
            role = self._layout.owners[route.target].role
            if role == "route":
                if voice:
                    walk.amount(self._document.routes[self.routes[route.target]])
            elif role != "modulator" and (not voice or self.in_voice(route)):
                walk.route(route)
        return walk.jobs + [(PUT, number) for number in self._put_last(voice)]

    def _put_last(self, voice: bool) -> list[int]:
        """Targets that nothing reads within the tick: those of layers and, led, of the mixer."""
        roles = ("layer",) if voice else ("layer", "send", "bus", "effect")
        owners = self._layout.owners
        return [n for n, key in enumerate(self.targets.keys) if owners[key[0]].role in roles]


class _Walk:
    """One walk through what there is to do, sources first."""

    def __init__(self, of: Schedule, voice: bool) -> None:
        self._of, self._voice = of, voice
        self._met: set[str] = set()
        self.jobs: list[tuple[int, int]] = []

    def _wanted(self, route: Route) -> bool:
        return not self._of.is_late(route) and (not self._voice or self._of.in_voice(route))

    def modulator(self, id_: str) -> None:
        """Everything that moves a modulator, then the modulator."""
        if id_ in self._met or (self._voice and id_ in self._of.shared):
            return
        self._met.add(id_)
        for route in self._of.into.get(id_, []):
            self.route(route)
        self.jobs += [(PUT, number) for number in self._of.targets.of(id_)]
        self.jobs.append((ADVANCE, self._of.modulators[id_]))

    def route(self, route: Route) -> None:
        """What a route reads, then the route."""
        if route.id in self._met or not self._wanted(route):
            return
        self._met.add(route.id)
        for source in (route.source, route.by):
            meant = modulator_of(source) if source else None
            if meant is not None:
                self.modulator(meant[0])
        self.amount(route)
        self.jobs.append((ROUTE, self._of.routes[route.id]))

    def amount(self, route: Route) -> None:
        """What moves a route's amount, then the amount."""
        moving = self._of.into.get(route.id, [])
        mark = f"{route.id}:amount"
        if not moving or mark in self._met or (self._voice and not self._of.in_voice(route)):
            return
        self._met.add(mark)
        for one in moving:
            self.route(one)
        self.jobs += [(PUT, number) for number in self._of.targets.of(route.id)]
