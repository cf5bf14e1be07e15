"""The one registry: what every parameter, kind of layer and source of movement is.

A new parameter is one entry in :mod:`shared_parameters` or :mod:`kind_parameters` and its
use in a kernel. A new kind of layer is one entry in :data:`LAYER_KINDS` and one in the
engine's table of sources.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from innerbloom.core.instrument.kind_parameters import CLOUD, ENTRY, LOOP, NOISE, WAVE
from innerbloom.core.instrument.parameters import (
    Choice,
    Declared,
    Parameter,
    Settings,
    settings_model,
)
from innerbloom.core.instrument.shared_parameters import LAYER, MEMBER, ROUTE, WHOLE

__all__ = [
    "CONTROLLERS",
    "ENTRY",
    "KINDS",
    "LAYER",
    "LAYER_KINDS",
    "LAYER_SETTINGS",
    "MEMBER",
    "ROUTE",
    "SOURCES",
    "WHOLE",
    "Choice",
    "WholeSettings",
    "movable",
    "parameter_of",
]


@dataclass(frozen=True)
class LayerKind:
    """One kind of layer.

    Attributes
    ----------
    id : str
        Its name, on screen too.
    parameters : tuple
        What its source declares; those of every layer come before them in records.
    sounds : {"none", "one", "many"}
        How many sounds it may hold.
    help : str
    """

    id: str
    parameters: tuple[Declared, ...]
    sounds: Literal["none", "one", "many"]
    help: str


LAYER_KINDS: dict[str, LayerKind] = {
    kind.id: kind
    for kind in (
        LayerKind("cloud", CLOUD, "many", "Many short grains from around one place."),
        LayerKind("loop", LOOP, "many", "A sound read with a loop in it."),
        LayerKind("wave", WAVE, "one", "A plain wave, or a wavetable."),
        LayerKind("noise", NOISE, "one", "Noise of a colour, or coloured by a recording."),
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
        Whether it runs -1..1 rather than 0..1; ``key`` and ``bend`` count octaves.
    """

    id: str
    name: str
    help: str
    two_sided: bool = False


SOURCES: tuple[Source, ...] = (
    Source("velocity", "velocity", "How hard the key was struck."),
    Source("release_velocity", "release velocity", "How fast the key was let go."),
    Source("key", "key", "Octaves from C4, glides included.", two_sided=True),
    Source("bend", "bend", "Octaves the note is bent.", two_sided=True),
    Source("pressure", "pressure", "Push on the note."),
    Source("slide", "slide", "Height of the finger on the note."),
    Source("wheel", "mod wheel", "Controller 1."),
    Source("stack", "place in the stack", "From the first member (-1) to the last.", True),
    Source("random", "random per note", "A number that stays with the note."),
    Source("envelope", "envelope", "The layer's own level shape."),
    Source("tone_envelope", "tone envelope", "The layer's second envelope."),
)
CONTROLLERS = 128
"""Controllers 0..127 are sources named ``controller:0`` and so on."""

WholeSettings: type[Settings] = settings_model("WholeSettings", WHOLE)
LAYER_SETTINGS: dict[str, type[Settings]] = {
    kind: settings_model(f"{kind.title()}Settings", declared) for kind, declared in KINDS.items()
}


def parameter_of(kind: str, parameter: str) -> Declared | None:
    """The declaration of a layer's parameter; None if its kind has no such one."""
    return next((d for d in KINDS[kind] if d.id == parameter), None)


def movable(kind: str) -> tuple[Parameter, ...]:
    """The parameters of a kind of layer that routes may target."""
    return tuple(d for d in KINDS[kind] if isinstance(d, Parameter) and d.movable)
