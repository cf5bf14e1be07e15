"""Loop: a sound read with a loop in it."""

from __future__ import annotations

from typing import Any

from innerbloom.core.layers.kind import LayerKind, Prepared
from innerbloom.core.layers.loop.parameters import LOOP
from innerbloom.core.layers.loop.source import LOOP_SCRATCH, render_loop
from innerbloom.core.layers.loop.strands import LOOP_STATE
from innerbloom.core.layers.preparing import clips_of, even_steps
from innerbloom.core.layers.shared import MAX_SOUNDS
from innerbloom.core.materials.protocol import Materials


def _prepare(layer: Any, materials: Materials) -> Prepared:
    return Prepared(clips_of(layer, materials), path=even_steps(layer.path))


KIND = LayerKind(
    "loop",
    LOOP,
    "A sound read with a loop in it.",
    _prepare,
    render_loop,
    LOOP_STATE,
    LOOP_SCRATCH,
    sounds="many",
    most_sounds=MAX_SOUNDS,
    alike=True,
    rooted=True,
    handle="start",
    loops=True,
)
