"""Noise of a colour, or coloured by a recording."""

from __future__ import annotations

from typing import Any

from innerbloom.core.layers.kind import LayerKind, Prepared
from innerbloom.core.layers.noise.parameters import NOISE
from innerbloom.core.layers.noise.source import NOISE_SCRATCH, NOISE_STATE, render_noise
from innerbloom.core.layers.preparing import stretch_if
from innerbloom.core.materials.noise import NoiseRequest
from innerbloom.core.materials.protocol import Materials


def _prepare(layer: Any, materials: Materials) -> Prepared:
    colour = layer.settings.colour
    return Prepared(
        (materials.get(NoiseRequest(stretch_if(layer, colour == "recording"), colour)),)
    )


KIND = LayerKind(
    "noise",
    NOISE,
    "Noise of a colour, or coloured by a recording.",
    _prepare,
    render_noise,
    NOISE_STATE,
    NOISE_SCRATCH,
    with_sound=(("colour", "recording"),),
)
