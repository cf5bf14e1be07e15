"""Kinds of layer: one package a kind, one line each here."""

from innerbloom.core.declare.registry import kinds
from innerbloom.core.layers import cloud, loop, noise, spectral, wave
from innerbloom.core.layers.common import LAYER
from innerbloom.core.layers.kind import LayerKind

LAYER_KINDS = kinds(
    cloud.KIND,
    loop.KIND,
    wave.KIND,
    noise.KIND,
    spectral.KIND,
)

__all__ = ["LAYER", "LAYER_KINDS", "LayerKind"]
