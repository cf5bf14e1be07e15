"""From a document to what the engine runs: plain arrays that never change."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.engine.material import Material
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.catalogue import KINDS, WHOLE
from innerbloom.core.instrument.document import Instrument, Layer, Sound
from innerbloom.core.instrument.parameters import settings_record

UNPITCHED_ROOT = 60.0
"""Key at which a sound without a clear pitch plays as recorded."""


@dataclass(frozen=True)
class LayerProgram:
    """One layer: its settings record, its material and how the material is read."""

    id: str
    kind: str
    settings: NDArray[Any]
    material: Material
    shape: NDArray[np.float64]


@dataclass(frozen=True)
class Program:
    """A whole instrument, ready to run."""

    whole: NDArray[Any]
    layers: tuple[LayerProgram, ...]


def compile_program(document: Instrument, load: Callable[[Sound], Material]) -> Program:
    """Turn a document into a program.

    Parameters
    ----------
    document : Instrument
    load : callable
        Finds the prepared material of a sound; may raise a BloomError.
    """
    whole = settings_record(document.settings, WHOLE)
    layers = tuple(_compile_layer(layer, load(layer.sound)) for layer in document.layers)
    return Program(whole, layers)


def _compile_layer(layer: Layer, material: Material) -> LayerProgram:
    if material.seconds <= 0:
        raise DocumentError(f"The layer '{layer.name}' has an empty sound: choose another.")
    root = layer.sound.root
    shape = np.array(
        [
            material.seconds,
            material.octaves_up,
            UNPITCHED_ROOT if root is None else root,
            10.0 ** (layer.sound.gain_db / 20.0),
            0.0 if root is None else 1.0,
        ]
    )
    record = settings_record(layer.settings, KINDS[layer.kind])
    return LayerProgram(layer.id, layer.kind, record, material, shape)
