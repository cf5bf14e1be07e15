"""Wave: a plain wave, or a wavetable."""

from __future__ import annotations

from typing import Any

from innerbloom.core.layers.kind import LayerKind, Prepared
from innerbloom.core.layers.preparing import stretch_if
from innerbloom.core.layers.wave.parameters import WAVE
from innerbloom.core.layers.wave.source import WAVE_SCRATCH, WAVE_STATE, render_wave
from innerbloom.core.materials.protocol import Materials
from innerbloom.core.materials.wavetable.prepared import WavetableRequest


def _prepare(layer: Any, materials: Materials) -> Prepared:
    shape = layer.settings.shape
    cycle = layer.sounds[0].cycle if layer.sounds else None
    request = WavetableRequest(stretch_if(layer, shape == "table"), shape, cycle)
    return Prepared((materials.get(request),))


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
