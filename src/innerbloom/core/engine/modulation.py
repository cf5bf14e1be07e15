"""What a section keeps for all that moves: modulators, routes, controllers, the gesture pad."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.dsp.rates import GROUPS, SPAN
from innerbloom.core.engine.kernels.routing import (
    ACROSS,
    KEYS_HELD,
    MAP_ACROSS,
    MAP_UP,
    PLAYED,
    PUT,
    SOURCE_COUNT,
    UP,
    Routing,
)
from innerbloom.core.engine.layout import Key, Layout
from innerbloom.core.engine.modulation_program import ModulationProgram
from innerbloom.core.engine.pad import Pad
from innerbloom.core.engine.sidechain import Sidechain
from innerbloom.core.modulators.common import MODULATOR_STATE, lag_share
from innerbloom.core.modulators.kind import Drawn
from innerbloom.core.performance.events import Event

_MOST_KEYS = 8


class Modulation:
    """The state of everything that moves.

    Parameters
    ----------
    program : ModulationProgram
    layout : Layout
    slots : int
        How many voices; one row more is the leader's.
    """

    def __init__(self, program: ModulationProgram, layout: Layout, slots: int) -> None:
        self.program, self.layout, self.slots = program, layout, slots
        self.keys, self.targets = program.keys, program.targets
        self.schedule, self.late_from = program.schedule, program.late_from
        self.lead_schedule = program.lead_schedule
        self.played = np.zeros((SPAN, PLAYED))
        self.pad = Pad()
        self._pad_rested = True
        self._place: NDArray[np.float64] | None = None
        self.begun = False
        self.sidechain = Sidechain(program, layout)
        rows, count, routes = slots + 1, len(program.modulators), len(program.moves)
        self.states = np.zeros((rows, count), MODULATOR_STATE)
        self.nodes = np.zeros((rows, 2 * count))
        self.common = np.zeros((SPAN, 2 * count))
        self.lags, self.outputs = np.zeros((rows, routes)), np.zeros((rows, routes))
        self.carried = np.zeros(rows, np.int64)
        self.moves = program.moves.copy()
        self._named = np.zeros((GROUPS + 1, SOURCE_COUNT))
        self._make_room()

    def _make_room(self) -> None:
        """Room for what is added to each target, and everything as kernels take it."""
        p, shape = self.program, (self.slots + 1, len(self.targets))
        self.sums, self.residue, self.earlier = np.zeros(shape), np.zeros(shape), np.zeros(shape)
        members = np.zeros((len(p.members), len(self.targets)))
        members[:, : p.members.shape[1]] = p.members
        self.routing = Routing(
            schedule=self.schedule,
            late_from=self.late_from,
            moves=self.moves,
            targets=self.targets,
            modulators=p.modulators,
            curves=p.curves,
            drawn=Drawn(p.tables, p.steps, p.contours, self.sidechain.heard),
            members=members,
            played=self.played,
            states=self.states,
            nodes=self.nodes,
            common=self.common,
            lags=self.lags,
            outputs=self.outputs,
            sums=self.sums,
            residue=self.residue,
            earlier=self.earlier,
            carried=self.carried,
            named=self._named,
        )

    # -- what is played ----------------------------------------------------------

    def play(self, event: Event, tick: int, momentum_ms: float) -> None:
        """A controller or the pad, at a tick since the section began."""
        if event.kind == "control":
            self.played[:, event.note] = event.value
        elif event.kind == "pad_let_go":
            self.pad.let_go(tick, momentum_ms)
            self._pad_rested = False
        else:
            self.pad.move(0 if event.kind == "pad_across" else 1, event.value, tick)
            self._pad_rested = False

    def fill_played(self, first: int, keys_held: int, place: NDArray[np.float64]) -> None:
        """What is played through a span that begins at a tick, and where on the map one stands, in %."""
        if place is not self._place:
            self.played[:, MAP_ACROSS : MAP_UP + 1] = place / 100.0
            self._place = place
        held = min(keys_held / _MOST_KEYS, 1.0)
        if self.played[0, KEYS_HELD] != held:
            self.played[:, KEYS_HELD] = held
        if self.pad.rests and self._pad_rested:
            return
        for tick in range(SPAN):
            self.played[tick, ACROSS], self.played[tick, UP] = self.pad.at(first + tick)
        # the rest of the rows too, once it rests
        self._pad_rested = self.pad.rests
        if self._pad_rested:
            self.played[:, ACROSS], self.played[:, UP] = self.pad.at(first)

    def pad_now(self) -> tuple[float, float]:
        """Where the gesture pad stood at the last tick, across and up."""
        return float(self.played[-1, ACROSS]), float(self.played[-1, UP])

    def set_lag(self, route: int, way: str, milliseconds: float) -> None:
        """Change how a route, by its number, is eased on its way up or down (rise or fall)."""
        if not self.targets[self.moves["target"][route]]["instant"]:
            self.moves[way][route] = lag_share(milliseconds)

    # -- going on after an edit --------------------------------------------------

    def copied(self) -> Modulation:
        """The same, going its own way from here."""
        other = copy.copy(self)
        for name in (
            "played",
            "states",
            "nodes",
            "common",
            "lags",
            "outputs",
            "carried",
            "moves",
            "_named",
        ):
            setattr(other, name, getattr(self, name).copy())
        other.pad, other.sidechain = self.pad.copied(), self.sidechain.copied()
        other._make_room()
        other.sums[:], other.residue[:] = self.sums, self.residue
        other.earlier[:] = self.earlier
        return other

    def take_over(self, before: Modulation) -> None:
        """Go on from where another left off, as far as the same things are there."""
        self.played[:], self.pad = before.played, before.pad
        self._pad_rested, self._place = False, None
        self.begun = before.begun
        was, now = before.program, self.program
        for new, id_ in enumerate(now.ids):
            if id_ in was.ids:
                old = was.ids.index(id_)
                if was.modulators["kind"][old] == now.modulators["kind"][new]:
                    self.states[:, new] = before.states[:, old]
                    self.nodes[:, 2 * new : 2 * new + 2] = before.nodes[:, 2 * old : 2 * old + 2]
        for new, id_ in enumerate(now.route_ids):
            if id_ in was.route_ids:
                self.lags[:, new] = before.lags[:, was.route_ids.index(id_)]
        self._keep_targets(before)
        self.sidechain.take_over(before.sidechain)

    def _keep_targets(self, before: Modulation) -> None:
        """Begin where the targets stood; those that nothing moves any more come to rest."""
        sums = before.sums + before.residue
        moved = np.abs(sums).max(axis=0) > 1e-6 if len(sums) else np.zeros(0, np.bool_)
        left = [
            (old, column)
            for old, key in enumerate(before.keys)
            if key not in self.keys and moved[old] and (column := self._column(key)) is not None
        ]
        if left:
            self._let_rest(before, left)
        for new, key in enumerate(self.keys):
            if key in before.keys:
                self.earlier[:, new] = sums[:, before.keys.index(key)]
        self.carried[:] = 1

    def _column(self, key: Key) -> int | None:
        """Where a target lies now; None if it is no longer there."""
        owner = self.layout.owners.get(key[0])
        if owner is None or owner.parameter(key[1]) is None:
            return None
        return self.layout.column(*key)

    def _let_rest(self, before: Modulation, left: list[tuple[int, int]]) -> None:
        """More targets, which no route moves but which have a way to go."""
        resting: NDArray[Any] = before.targets[[old for old, _ in left]].copy()
        resting["index"] = [column for _, column in left]
        puts = [(PUT, len(self.keys) + n) for n in range(len(left))]
        self.keys = (*self.keys, *(before.keys[old] for old, _ in left))
        self.targets = np.concatenate((self.targets, resting))
        at = self.late_from
        parts = (self.schedule[:at], puts, self.schedule[at:])
        self.schedule = np.concatenate(parts).astype(np.int64)
        self.late_from = at + len(puts)
        self.lead_schedule = np.concatenate((self.lead_schedule, puts)).astype(np.int64)
        self._make_room()
