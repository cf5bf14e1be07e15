"""Wave: a plain wave, or a wavetable."""

from __future__ import annotations

from typing import Any

from innerbloom.core.layers.kind import LayerKind, Prepared
from innerbloom.core.layers.preparing import sound_if
from innerbloom.core.layers.wave.parameters import WAVE
from innerbloom.core.layers.wave.source import WAVE_SCRATCH, WAVE_STATE, render_wave
from innerbloom.core.materials.protocol import Materials


def _prepare(layer: Any, materials: Materials) -> Prepared:
    shape = layer.settings.shape
    return Prepared((materials.wavetable(shape, sound_if(layer, shape == "table")),))


KIND = LayerKind(
    "wave",
    WAVE,
    "A plain wave, or a wavetable.",
    _prepare,
    render_wave,
    WAVE_STATE,
    WAVE_SCRATCH,
    alike=True,
    with_sound=(("shape", "table"),),
)
