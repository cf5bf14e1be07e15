"""What an engine keeps for all that moves: modulators, routes, controllers, the gesture pad."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.engine.kernels.beginning import MODULATOR_STATE
from innerbloom.core.engine.kernels.control import lead, settle
from innerbloom.core.engine.kernels.routing import ACROSS, KEYS_HELD, PLAYED, PUT, SOURCE_COUNT, UP
from innerbloom.core.engine.listening import Listening
from innerbloom.core.engine.movement import Key, Movement
from innerbloom.core.engine.pad import Pad
from innerbloom.core.engine.state import GROUPS, SPAN, TICK
from innerbloom.core.engine.voices import VoiceBook
from innerbloom.core.instrument.catalogue import DEPTH, MODULATOR_KINDS, ROUTE
from innerbloom.core.instrument.parameters import Declared, engine_value
from innerbloom.core.performance.events import Event

_MOST_KEYS = 8


class Moving:
    """The state of everything that moves.

    Parameters
    ----------
    movement : Movement
    slots : int
        How many voices; one row more is the leader's.
    """

    def __init__(self, movement: Movement, slots: int) -> None:
        self.movement, self.slots = movement, slots
        self.played = np.zeros((SPAN, PLAYED))
        self.pad = Pad()
        rows, count = slots + 1, len(movement.modulators)
        routes = len(movement.moves)
        self.states = np.zeros((rows, count), MODULATOR_STATE)
        self.nodes = np.zeros((rows, 2 * count))
        self.common = np.zeros((SPAN, 2 * count))
        self.memory = np.zeros((rows, routes))
        self.came = np.zeros((rows, routes))
        self._lay_out(movement.keys, movement.targets)
        self.jobs, self.late_from = movement.jobs, movement.late_from
        self.lead_jobs = movement.lead_jobs
        self.carried = np.zeros(rows, np.int64)
        self._own = movement.depths.copy()
        self._amounts = movement.amounts.copy()
        self._on = movement.on
        self._wanted = self._as_wanted()
        self._depths = self._wanted.copy()
        self._rows = np.zeros((SPAN, routes))
        self._free = np.zeros(routes, np.bool_)
        self.named = np.zeros((GROUPS, SOURCE_COUNT))
        self._named = np.zeros(SOURCE_COUNT)
        self.leads = bool((movement.modulators["shared"] == 1).any())
        self._begun = False
        self._pad_rested = True
        self.listening = Listening(movement)

    def _lay_out(self, keys: tuple[Key, ...], targets: NDArray[Any]) -> None:
        """Room for what is added to each target."""
        self.keys, self.targets = keys, targets
        shape = (self.slots + 1, len(targets))
        self.sums, self.residue, self.earlier = np.zeros(shape), np.zeros(shape), np.zeros(shape)
        known = self.movement.members
        self.members = np.zeros((len(known), len(targets)))
        self.members[:, : known.shape[1]] = known

    # -- what is played ----------------------------------------------------------

    def play(self, event: Event, now: int, momentum_ms: float) -> None:
        """A controller or the pad, at a time in frames."""
        if event.kind == "control":
            self.played[:, event.note] = event.value
        elif event.kind == "pad_let_go":
            self.pad.let_go(now // TICK, momentum_ms)
            self._pad_rested = False
        else:
            self.pad.move(0 if event.kind == "pad_across" else 1, event.value, now // TICK)
            self._pad_rested = False

    def _as_wanted(self) -> NDArray[np.float64]:
        return self._own * self._amounts if self._on else np.zeros(len(self._own))

    def set_depth(self, route: str, depth: float) -> None:
        """Move a route's depth; KeyError if there is none."""
        self._own[self._route(route)] = depth
        self._wanted[:] = self._as_wanted()

    def switch(self, on: bool) -> None:
        """Let all routes move things, or none."""
        self._on = on
        self._wanted[:] = self._as_wanted()

    def declared(self, owner: str) -> tuple[Declared, ...] | None:
        """What may be set of a modulator or route; None if it is not there."""
        if owner in self.movement.route_ids:
            return (DEPTH, *ROUTE)
        if owner not in self.movement.ids:
            return None
        number = int(self.movement.modulators["kind"][self.movement.ids.index(owner)])
        return list(MODULATOR_KINDS.values())[number].parameters

    def setting(self, owner: str, parameter: str, value: float | str) -> tuple[int | None, float]:
        """Where a setting stands in the row, and its value as the engine holds it.

        None where it is no part of the row: the amount of a route that nothing moves.
        """
        declared = next(one for one in self.declared(owner) or () if one.id == parameter)
        number = engine_value(declared, value)
        at = self.movement.places.get((owner, parameter))
        if at is None and parameter == "amount":
            self._amounts[self._route(owner)] = 0.01 * number
            self._wanted[:] = self._as_wanted()
        return at, number

    def _route(self, id_: str) -> int:
        if id_ not in self.movement.route_ids:
            raise KeyError(id_)
        return self.movement.route_ids.index(id_)

    # -- rendering ---------------------------------------------------------------

    def lead(
        self,
        ticks: int,
        now: int,
        voices: VoiceBook,
        rows: NDArray[np.float64],
        values: NDArray[np.float64],
        whole: NDArray[Any],
        layers: int,
    ) -> None:
        """What all notes share, a span on; before the voices."""
        self._fill_played(now // TICK, voices)
        if len(self._wanted):
            settle(ticks, self._wanted, self._depths, self._free, self._rows)
        self.listening.begin(now // TICK, ticks, rows[0], layers)
        if not self.leads:
            return
        voices.follow_newest()
        m = self.movement
        lead(
            ticks, voices.leader[0], self._named, rows, values, self.lead_jobs, m.moves, self.targets,
            m.modulators, self.states, self.played, self.nodes, self.common, self.memory, self.came,
            not self._begun, self._rows, self.sums, self.residue, self.carried, self.earlier,
            m.curves, m.tables, m.steps, m.contours, self.listening.heard, voices.phrase, float(whole["tempo"][0]),
            int(whole["seed"][0]),
        )  # fmt: skip
        self._begun = True

    @property
    def of_voices(self) -> tuple[Any, ...]:
        """What the voices' kernel is given, in its order."""
        m = self.movement
        return (
            self.jobs, self.late_from, m.moves, self.targets, m.modulators, self.states, self.members, self.played, self.nodes,
            self.common, self.memory, self.came, self._rows, self.sums, self.residue, self.carried,
            self.earlier, m.curves, m.tables, m.steps, m.contours, self.listening.heard,
        )  # fmt: skip

    def _fill_played(self, first: int, voices: VoiceBook) -> None:
        held = min(voices.keys_held() / _MOST_KEYS, 1.0)
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

    # -- going on after an edit --------------------------------------------------

    def take_over(self, before: Moving) -> None:
        """Go on from where another left off, as far as the same things are there."""
        self.played, self.pad = before.played, before.pad
        self._pad_rested = False
        self._begun = before._begun
        was, now = before.movement, self.movement
        for new, id_ in enumerate(now.ids):
            if id_ in was.ids:
                old = was.ids.index(id_)
                if was.modulators["kind"][old] == now.modulators["kind"][new]:
                    self.states[:, new] = before.states[:, old]
                    self.nodes[:, 2 * new : 2 * new + 2] = before.nodes[:, 2 * old : 2 * old + 2]
        for new, id_ in enumerate(now.route_ids):
            if id_ in was.route_ids:
                self.memory[:, new] = before.memory[:, was.route_ids.index(id_)]
        self._keep_targets(before)
        self.listening.take_over(before.listening)

    def _keep_targets(self, before: Moving) -> None:
        """Begin where the targets stood; those that nothing moves any more come to rest."""
        sums = before.sums + before.residue
        moved = np.abs(sums).max(axis=0) > 1e-6 if len(sums) else np.zeros(0, np.bool_)
        left = [
            old
            for old, key in enumerate(before.keys)
            if key not in self.keys and key in self.movement.places and moved[old]
        ]
        if left:
            resting = before.targets[left].copy()
            resting["index"] = [self.movement.places[before.keys[old]] for old in left]
            puts = [(PUT, len(self.keys) + n) for n in range(len(left))]
            self._lay_out(
                (*self.keys, *(before.keys[old] for old in left)),
                np.concatenate((self.targets, resting)),
            )
            at = self.late_from
            self.jobs = np.concatenate((self.jobs[:at], puts, self.jobs[at:])).astype(np.int64)
            self.late_from = at + len(puts)
        for new, key in enumerate(self.keys):
            if key in before.keys:
                self.earlier[:, new] = sums[:, before.keys.index(key)]
        self.carried[:] = 1
