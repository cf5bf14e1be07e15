"""The registry at a glance: every owner of settings, every kind, and every source of movement.

A new parameter is one entry where its owner's are declared, and its use in a kernel. A new kind
of layer, modulator or effect is one module and one line in its package.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from innerbloom.core.declare.parameters import (
    Choice,
    Declared,
    Parameter,
    Settings,
    settings_model,
)
from innerbloom.core.effects import EFFECT, EFFECT_KINDS
from innerbloom.core.instrument.shared_parameters import (
    BUS,
    DEPTH,
    INSTRUMENT,
    MEMBER,
    ROUTE,
    SEND,
)
from innerbloom.core.layers import LAYER, LAYER_KINDS
from innerbloom.core.layers.shared import ENTRY, MAX_SOUNDS
from innerbloom.core.modulators import MODULATOR_KINDS

__all__ = [
    "BUS",
    "CONTROLLERS",
    "DEPTH",
    "EFFECT",
    "EFFECT_KINDS",
    "ENTRY",
    "INSTRUMENT",
    "LAYER",
    "LAYER_KINDS",
    "MAX_SOUNDS",
    "MEMBER",
    "MODULATOR_KINDS",
    "ROUTE",
    "SEND",
    "SOURCES",
    "Choice",
    "InstrumentSettings",
    "movable",
]

InstrumentSettings: type[Settings] = settings_model("InstrumentSettings", INSTRUMENT)
BusSettings: type[Settings] = settings_model("BusSettings", BUS)
SendSettings: type[Settings] = settings_model("SendSettings", SEND)


def movable(declared: Iterable[Declared]) -> tuple[Parameter, ...]:
    """Those parameters that routes may target."""
    return tuple(d for d in declared if isinstance(d, Parameter) and d.movable)


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
    Source("map_across", "map across", "Where one stands on the map, from left to right."),
    Source("map_up", "map up", "Where one stands on the map, from bottom to top."),
    Source("envelope", "envelope", "The layer's own level shape."),
    Source("tone_envelope", "tone envelope", "The layer's second envelope."),
)
ENVELOPE_NAMES = {"envelope": "Its envelope", "tone_envelope": "Its second envelope"}
"""What the envelopes of a layer are called where the layer is clear."""

CONTROLLERS = 128
"""Controllers 0..127 are sources named ``controller:0`` and so on."""
