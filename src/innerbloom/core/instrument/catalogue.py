"""The one registry: what every parameter, kind of layer and source of movement is.

A new parameter is one entry in :mod:`shared_parameters`, :mod:`kind_parameters` or :mod:`spectral_parameters` and its
use in a kernel. A new kind of layer is one entry in :data:`LAYER_KINDS` and one in the
engine's table of sources.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from innerbloom.core.instrument import modulator_parameters as m
from innerbloom.core.instrument.kind_parameters import CLOUD, ENTRY, LOOP, NOISE, WAVE
from innerbloom.core.instrument.parameters import (
    Choice,
    Declared,
    Parameter,
    Settings,
    settings_model,
)
from innerbloom.core.instrument.shared_parameters import DEPTH, LAYER, MEMBER, ROUTE, WHOLE
from innerbloom.core.instrument.spectral_parameters import MOST_ON_PATH, SPECTRAL

__all__ = [
    "CONTROLLERS",
    "DEPTH",
    "ENTRY",
    "KINDS",
    "LAYER",
    "LAYER_KINDS",
    "LAYER_SETTINGS",
    "MAX_SOUNDS",
    "MEMBER",
    "MODULATOR_KINDS",
    "MODULATOR_SETTINGS",
    "ROUTE",
    "SOURCES",
    "WHOLE",
    "Choice",
    "WholeSettings",
    "movable",
    "parameter_of",
]


MAX_SOUNDS = 64
"""Sounds that a layer can choose among."""


@dataclass(frozen=True)
class LayerKind:
    """One kind of layer.

    Attributes
    ----------
    id : str
        Its name, on screen too.
    parameters : tuple
        What its source declares; those of every layer come before them in records.
    sounds : {"one", "many", "path"}
        Whether it plays without a sound or with one, chooses among many, or leads through them.
    help : str
    most_sounds : int
        How many it may hold.
    """

    id: str
    parameters: tuple[Declared, ...]
    sounds: Literal["one", "many", "path"]
    help: str
    most_sounds: int = 1

    @property
    def needs_sound(self) -> bool:
        """Whether there is nothing to play without one."""
        return self.sounds != "one"


LAYER_KINDS: dict[str, LayerKind] = {
    kind.id: kind
    for kind in (
        LayerKind("cloud", CLOUD, "many", "Many short grains from around one place.", MAX_SOUNDS),
        LayerKind("loop", LOOP, "many", "A sound read with a loop in it.", MAX_SOUNDS),
        LayerKind("wave", WAVE, "one", "A plain wave, or a wavetable."),
        LayerKind("noise", NOISE, "one", "Noise of a colour, or coloured by a recording."),
        LayerKind("spectral", SPECTRAL, "path", "The spectrum of a sound, or of several in turn.",
                  MOST_ON_PATH),
    )
}

KINDS: dict[str, tuple[Declared, ...]] = {
    kind.id: LAYER + kind.parameters for kind in LAYER_KINDS.values()
}
"""Declarations of each kind of layer, in the order of the engine's records."""


@dataclass(frozen=True)
class Source:
    """Something that can move a parameter.

    Attributes
    ----------
    id, name, help : str
    two_sided : bool
        Whether it runs to either side of 0 rather than up from it.
    reach : float
        Its farthest value: 1, or the octaves that a curve spans.
    """

    id: str
    name: str
    help: str
    two_sided: bool = False
    reach: float = 1.0


SOURCES: tuple[Source, ...] = (
    Source("velocity", "velocity", "How hard the key was struck."),
    Source("release_velocity", "release velocity", "How fast the key was let go."),
    Source("key", "key", "Octaves from C4, glides included.", True, 5.0),
    Source("bend", "bend", "Octaves the note is bent.", True, 4.0),
    Source("pressure", "pressure", "Push on the note."),
    Source("slide", "slide", "Height of the finger on the note."),
    Source("wheel", "mod wheel", "Controller 1."),
    Source("stack", "place in the stack", "From the first member (-1) to the last.", True),
    Source("random", "random per note", "A number that stays with the note."),
    Source("age", "note age", "Rises from 0 to 1 over the first ten seconds of a note."),
    Source("held", "notes held", "How many keys are down; eight or more are 1."),
    Source("pad_across", "pad across", "The gesture pad, from left to right.", True),
    Source("pad_up", "pad up", "The gesture pad, from bottom to top.", True),
    Source("envelope", "envelope", "The layer's own level shape."),
    Source("tone_envelope", "tone envelope", "The layer's second envelope."),
)
ENVELOPE_NAMES = {"envelope": "Its envelope", "tone_envelope": "Its second envelope"}
"""What the envelopes of a layer are called where the layer is clear."""

CONTROLLERS = 128
"""Controllers 0..127 are sources named ``controller:0`` and so on."""


@dataclass(frozen=True)
class ModulatorKind:
    """One kind of modulator.

    Attributes
    ----------
    id, name, help : str
    parameters : tuple
    two_sided : bool
        Whether it swings to either side of 0; that of ``random`` is a setting.
    needs : {"nothing", "cycle", "shape", "steps", "recording"}
        What is drawn or chosen for it, if anything.
    sides : int
        How many values it gives.
    """

    id: str
    name: str
    parameters: tuple[Declared, ...]
    two_sided: bool
    help: str
    needs: Literal["nothing", "cycle", "shape", "steps", "recording"] = "nothing"
    sides: int = 1


MODULATOR_KINDS: dict[str, ModulatorKind] = {
    kind.id: kind
    for kind in (
        ModulatorKind("lfo", "LFO", m.LFO, True, "A wave that goes round.", "cycle", 2),
        ModulatorKind("envelope", "envelope", m.ENVELOPE, False,
                      "Rises and falls with each note."),
        ModulatorKind("shape", "drawn shape", m.SHAPE, False,
                      "Any curve over time, once or with a loop in it.", "shape"),
        ModulatorKind("steps", "step pattern", m.STEPS, True, "One value after another.", "steps"),
        ModulatorKind("random", "random", m.RANDOM, False, "A number that stays with the note."),
        ModulatorKind("drift", "drift", m.DRIFT, True,
                      "Wanders at random, always drawn back to the middle."),
        ModulatorKind("follower", "follower", m.FOLLOWER, False,
                      "Listens to a layer, or to the whole."),
        ModulatorKind("contour", "contour", m.CONTOUR, False,
                      "Takes its course from a recording.", "recording"),
        ModulatorKind("combine", "combination", m.COMBINE, True, "Two movements made into one."),
        ModulatorKind("lag", "lag", m.LAG, True, "A movement, slowed."),
        ModulatorKind("quantise", "levels", m.QUANTISE, True, "A movement in even steps."),
        ModulatorKind("sample", "sample and hold", m.SAMPLE, True,
                      "Takes a value whenever another rises past the middle."),
        ModulatorKind("macro", "macro", m.MACRO, False, "One handle for many settings."),
    )
}  # fmt: skip

MODULATOR_SETTINGS: dict[str, type[Settings]] = {
    kind.id: settings_model(f"{kind.id.title()}ModulatorSettings", kind.parameters)
    for kind in MODULATOR_KINDS.values()
}

WholeSettings: type[Settings] = settings_model("WholeSettings", WHOLE)
LAYER_SETTINGS: dict[str, type[Settings]] = {
    kind: settings_model(f"{kind.title()}Settings", declared) for kind, declared in KINDS.items()
}


def parameter_of(kind: str, parameter: str) -> Declared | None:
    """The declaration of a layer's parameter; None if its kind has no such one."""
    return next((d for d in KINDS[kind] if d.id == parameter), None)


def movable(kind: str) -> tuple[Parameter, ...]:
    """The parameters of a kind of layer or modulator that routes may target."""
    declared = KINDS[kind] if kind in KINDS else MODULATOR_KINDS[kind].parameters
    return tuple(d for d in declared if isinstance(d, Parameter) and d.movable)
