"""What a section's controls stand at, and what follows from it: presences, stacks, links, depths."""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.parameters import engine_value, option
from innerbloom.core.engine.effect_slot import Tap
from innerbloom.core.engine.layers import LayerState, wanted_presences
from innerbloom.core.engine.layout import Layout
from innerbloom.core.engine.mixer import Mixer
from innerbloom.core.engine.modulation import Modulation
from innerbloom.core.engine.program import Program
from innerbloom.core.engine.snapshots import Settled, Standing
from innerbloom.core.engine.strip import StreamTap
from innerbloom.core.engine.voices import VoiceBook
from innerbloom.core.instrument.catalogue import INSTRUMENT, LAYER
from innerbloom.core.instrument.owners import WHOLE_ID
from innerbloom.core.instrument.snapshots import MAP

WIDTH = len(INSTRUMENT)
_ROUTES_ON = option(INSTRUMENT, "routes", "on")
_HOLDS = option(LAYER, "loudness_hold", "on")
_FADED = ("mute", "solo")
"""Choices whose change is faded anyway."""


class Controls(ABC):
    """The controls of whatever has a program.

    Attributes
    ----------
    wanted, now : ndarray of float64
        What everything is set to, and where it stands on its way there.
    own_depths : ndarray of float64
        What the depths of all routes are set to, whether they are on or not.
    difference : str or None
        The effect of which only the difference is heard.
    standing : Standing
        Where on the map of snapshots one stands.
    """

    program: Program
    layout: Layout
    wanted: NDArray[np.float64]
    now: NDArray[np.float64]
    led: NDArray[np.float64]
    last_tick: int
    layers: list[LayerState]
    modulation: Modulation
    mixer: Mixer
    voices: VoiceBook
    own_depths: NDArray[np.float64]
    difference: str | None
    standing: Standing
    settings: NDArray[Any]
    _seed: np.uint64
    _instrument: NDArray[np.float64]
    _presences: list[float]
    _running: set[int]

    @abstractmethod
    def _pass_over(self, changing: list[int]) -> None:
        """Let layers as they are fade out, while the same layers come in as they will be."""

    def set_parameter(self, owner: str, parameter: str, value: float | str) -> None:
        """Move one control; KeyError if there is no such owner or parameter."""
        declared = self.layout.declared(owner, parameter)
        column = self.layout.column(owner, parameter)
        self.wanted[column] = engine_value(declared, value)
        role = self.layout.owners[owner].role
        if role == "route":
            self._set_route(owner, parameter, float(value))
        elif role == "instrument":
            self._note_instrument(self.led[self.last_tick])
            if parameter == "voices":
                self.voices.respect_limit()
        self._refresh()
        if role == "layer":
            self._note_links()
        elif parameter == "unison_detune":
            self._compensate()
        elif parameter in MAP:
            self._stand()

    def recall(self, snapshot: str) -> None:
        """Go into the state of a snapshot; one that is not there changes nothing."""
        state = self.program.snapshots.states.get(snapshot)
        if state is not None:
            self._settle(state)
            self.standing.is_at(self.wanted)

    def _stand(self) -> None:
        """Let the map set what it moves, if one has moved on it."""
        blend = self.standing.moved(self.wanted)
        if blend is not None:
            self._settle(blend)

    def _settle(self, settled: Settled) -> None:
        """Move many controls at once; layers whose choices differ pass over into themselves."""
        self._pass_over(self._chosen_otherwise(settled))
        self.wanted[settled.columns] = settled.values
        moves = self.modulation.program.moves
        told = np.isin(moves["depth"], settled.columns)
        self.own_depths[told] = self.wanted[moves["depth"][told]]
        for number in np.flatnonzero(told):
            route = self.modulation.program.route_ids[number]
            for way in ("rise", "fall"):
                self.modulation.set_lag(int(number), way, self.setting(route, way))
        self._note_instrument(self.led[self.last_tick])
        self._refresh()
        self._note_links()
        self._compensate()

    def _set_route(self, route: str, parameter: str, value: float) -> None:
        program = self.modulation.program
        number = program.route_ids.index(route)
        if parameter == "depth":
            self.own_depths[number] = value
        elif parameter in ("rise", "fall"):
            self.modulation.set_lag(number, parameter, value)

    def _depths(self) -> NDArray[np.float64]:
        """What the depths of all routes are set to, whether they are on or not."""
        columns = self.modulation.program.moves["depth"]
        return np.asarray(self.layout.row[columns], np.float64)

    def _refresh(self) -> None:
        """What follows from the settings: depths of routes that are off, presences, stacks."""
        program = self.modulation.program
        on = self.setting(WHOLE_ID, "routes") == _ROUTES_ON
        moves = program.moves
        self.wanted[moves["depth"]] = self.own_depths * program.switched_on * on
        self._presences = wanted_presences(
            [self.setting(one.id, "mute") for one in self.program.layers],
            [self.setting(one.id, "solo") for one in self.program.layers],
        )
        alone = self._alone()
        if alone is not None:
            self._presences = [float(one.id == alone) for one in self.program.layers]

    def hear_difference(self, effect: str | None) -> None:
        """Let only what one effect changes be heard; None lets everything be heard again."""
        self.difference = effect
        self._refresh()
        for state in self.layers:
            state.strip.chain.hear_difference(effect)
        self.mixer.hear_difference(effect)

    def watch(self, effect: str | None, tap: Tap | None) -> None:
        """Show what goes in and what comes out of one effect from now on; None for none.

        Edits and silences make effects anew: it is asked for before each block.
        """
        for state in self.layers:
            state.strip.chain.watch(effect, tap)
        self.mixer.watch(effect, tap)

    def watch_stream(self, stream: str | None, tap: StreamTap | None) -> None:
        """Show what leaves one layer, or one shared bus, at its level; as :meth:`watch`."""
        for state in self.layers:
            state.strip.watch = tap if state.program.id == stream else None
        self.mixer.watch_stream(stream, tap)

    def _alone(self) -> str | None:
        """The layer in whose chain the one effect stands that is heard alone."""
        owner = self.layout.owners.get(self.difference or "")
        layers = {one.id for one in self.program.layers}
        return owner.within if owner is not None and owner.within in layers else None

    def _compensate(self) -> None:
        """How much louder each layer's stack would be than one voice."""
        detune = self.setting(WHOLE_ID, "unison_detune")
        for state in self.layers:
            state.compensate(self.modulation.program.members, detune)

    def _note_links(self) -> None:
        """How each layer is moved by the one below it, and what that one sends."""
        links = [int(self.setting(one.id, "link")) for one in self.program.layers[1:]]
        for index, (state, link) in enumerate(zip(self.layers, [*links, 0], strict=True)):
            if index not in self._running:
                continue
            hold = link > 0 and self.setting(state.program.id, "loudness_hold") == _HOLDS
            below = self.layers[index + 1] if link else state
            sends = index > 0 and links[index - 1] > 0
            state.link(below.sent, link, hold, sends)

    def setting(self, owner: str, parameter: str) -> float:
        """What something is set to, as the engine holds it."""
        return float(self.wanted[self.layout.column(owner, parameter)])

    def _note_instrument(self, led: NDArray[np.float64] | None) -> None:
        """The instrument's settings as events find them: as set, or as moved where that is so."""
        self._instrument[:] = self.wanted[:WIDTH]
        self._seed = np.uint64(int(self.settings["seed"][0]))
        if led is None or not self.modulation.begun:
            return
        for owner, parameter in self.modulation.keys:
            if owner == WHOLE_ID:
                column = self.layout.column(owner, parameter)
                self._instrument[column] = led[column]

    def _chosen_otherwise(self, settled: Settled) -> list[int]:
        """Layers of which some choice is about to change."""
        other = self.wanted[settled.columns] != settled.values
        columns = set(settled.columns[other & self.layout.stepped[settled.columns]].tolist())
        return [
            index
            for index, one in enumerate(self.program.layers)
            if any(
                self.layout.starts[one.id] + number in columns
                for number, declared in enumerate(one.kind.declared)
                if declared.id not in _FADED
            )
        ]
