"""From a document to what the engine runs: plain arrays that never change."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.dsp.state import SOUND
from innerbloom.core.engine.layout import Layout, lay_out
from innerbloom.core.engine.modulation_program import ModulationProgram, compile_modulation
from innerbloom.core.engine.snapshots import SnapshotProgram, compile_snapshots
from innerbloom.core.engine.zones import Zones, zones_of
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.catalogue import EFFECT_KINDS, LAYER_KINDS
from innerbloom.core.instrument.document import EntrySettings, Instrument, Layer
from innerbloom.core.instrument.mixing import Effect
from innerbloom.core.layers.kind import LayerKind, Played, Prepared
from innerbloom.core.materials.clip import MIP_LEVEL
from innerbloom.core.materials.protocol import Materials
from innerbloom.core.units import db_to_gain

UNPITCHED_ROOT = 60.0
"""Key at which a sound without a clear pitch plays as recorded."""

RECORDED_UNIT = db_to_gain(12.0)
"""Gain from a recording's samples to a layer's signal, where a wave has amplitude 1."""


@dataclass(frozen=True)
class EffectProgram:
    """One effect: its kind's name, what its kind prepared for it, and the layer it listens to."""

    id: str
    kind: str
    made: Any
    listens_to: str | None = None

    def same_as(self, other: EffectProgram) -> bool:
        """Whether its state can go on as the other's."""
        ours, theirs = (
            (self.id, self.kind, self.listens_to),
            (other.id, other.kind, other.listens_to),
        )
        return ours == theirs and self.made is other.made


@dataclass(frozen=True)
class LayerProgram:
    """One layer.

    Attributes
    ----------
    prepared : Prepared
        Kept alive while kernels read its sounds by address.
    played : Played
        The same as kernels read it.
    zones : Zones
        What picks among its sounds.
    effects : tuple of EffectProgram
    output : str
        Id of its bus.
    sends : tuple of (send, bus)
        Their ids.
    """

    id: str
    kind: LayerKind
    prepared: Prepared
    played: Played
    zones: Zones
    effects: tuple[EffectProgram, ...]
    output: str
    sends: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class BusProgram:
    """One shared bus."""

    id: str
    effects: tuple[EffectProgram, ...]


@dataclass(frozen=True)
class Program:
    """A whole instrument, ready to run.

    Attributes
    ----------
    layout : Layout
        Every setting, in one row.
    layers : tuple of LayerProgram
    modulation : ModulationProgram
    buses : tuple of BusProgram; effects : tuple of EffectProgram
        Shared buses, and what the main bus passes.
    members : int
        Size of the stack.
    snapshots : SnapshotProgram
    tuning : ndarray of float64, shape (128,)
        Semitones added to each key; NaN for a key that is silent.
    """

    layout: Layout
    layers: tuple[LayerProgram, ...]
    modulation: ModulationProgram
    buses: tuple[BusProgram, ...]
    effects: tuple[EffectProgram, ...]
    members: int
    snapshots: SnapshotProgram
    tuning: NDArray[np.float64]

    @cached_property
    def filled_tuning(self) -> NDArray[np.float64]:
        """The tuning with silent keys where they would be untuned: bends and glides pass them."""
        return np.nan_to_num(self.tuning)

    def setting(self, owner: str, parameter: str) -> float:
        """One setting as a number, a choice as the place of its word; KeyError if there is none."""
        return float(self.layout.row[self.layout.column(owner, parameter)])


def compile_program(document: Instrument, materials: Materials) -> Program:
    """Turn a document into a program.

    Raises
    ------
    BloomError
        If a material cannot be found or a sound is empty.
    """
    layout = lay_out(document)
    return Program(
        layout=layout,
        layers=tuple(_compile_layer(layer, materials) for layer in document.layers),
        modulation=compile_modulation(document, layout, materials),
        buses=tuple(
            BusProgram(one.id, compile_chain(one.effects, materials)) for one in document.buses
        ),
        effects=compile_chain(document.effects, materials),
        members=len(document.stack),
        snapshots=compile_snapshots(document, layout),
        tuning=_tuning(document),
    )


def _tuning(document: Instrument) -> NDArray[np.float64]:
    if document.tuning is None:
        return np.zeros(128)
    return np.array([math.nan if c is None else c / 100.0 for c in document.tuning.cents])


def compile_chain(effects: list[Effect], materials: Materials) -> tuple[EffectProgram, ...]:
    """Effects one after another, with what each needs of its sound.

    Raises
    ------
    BloomError
        If a sound cannot be found.
    """
    return tuple(
        EffectProgram(one.id, one.kind, _made(one, materials), one.listens_to) for one in effects
    )


def _made(effect: Effect, materials: Materials) -> Any:
    prepare = EFFECT_KINDS[effect.kind].prepare
    return None if prepare is None else prepare(effect, materials)


def _compile_layer(layer: Layer, materials: Materials) -> LayerProgram:
    kind = LAYER_KINDS[layer.kind]
    prepared = kind.prepare(layer, materials)
    entries = [*layer.picks]
    entries += [EntrySettings() for _ in range(len(prepared.materials) - len(entries))]
    return LayerProgram(
        id=layer.id,
        kind=kind,
        prepared=prepared,
        played=_played(layer, kind, prepared, entries),
        zones=zones_of(layer, entries[: max(1, len(layer.sounds))]),
        effects=compile_chain(layer.effects, materials),
        output=layer.output,
        sends=tuple((one.id, one.to) for one in layer.sends),
    )


def _played(layer: Layer, kind: LayerKind, prepared: Prepared, entries: list[Any]) -> Played:
    made = prepared.materials
    sounds = np.zeros(len(made), SOUND)
    levels = np.zeros((len(made), len(made[0].mip_levels)), MIP_LEVEL)
    running = 0.0
    for i, material in enumerate(made):
        if material.seconds <= 0:
            raise DocumentError(f"The layer '{layer.name}' has an empty sound: choose another.")
        levels[i] = material.mip_levels
        record = sounds[i]
        record["address"], record["samples"] = material.audio.ctypes.data, material.audio.size
        running += float(entries[i].weight)
        record["weight"] = running
        record["root"], record["trim"] = UNPITCHED_ROOT, 1.0
        material.describe(record)
        if kind.rooted and i < len(layer.sounds):
            sound = layer.sounds[i]
            record["trim"] = RECORDED_UNIT * db_to_gain(sound.gain_db)
            if sound.root is not None:
                record["root"], record["pitched"] = sound.root, 1.0
    return Played(
        sounds,
        levels,
        prepared.path,
        prepared.drawn_filter,
        prepared.segments,
        prepared.level_overlap,
    )
