"""Cloud: many short grains from around one place in a sound, or from wherever it is alike."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.analysis.segments import QUIETEST_DB
from innerbloom.core.declare.sound import Sound
from innerbloom.core.layers.cloud.parameters import CLOUD
from innerbloom.core.layers.cloud.source import CLOUD_SCRATCH, CLOUD_STATE, render_cloud
from innerbloom.core.layers.kind import LayerKind, Prepared, no_curve
from innerbloom.core.layers.preparing import clips_of, even_steps
from innerbloom.core.layers.shared import MAX_SOUNDS
from innerbloom.core.materials.described import SegmentsRequest
from innerbloom.core.materials.protocol import Materials, Stretch


def segment_map(sounds: list[Sound], materials: Materials) -> NDArray[np.float64]:
    """Segments of a layer's sounds as points, shape (points, 2 + len(DESCRIBED)).

    The number of the sound, the place in it in seconds, and what describes it, each 0..1;
    loudness is that of the sound as the layer plays it.
    """
    rows = []
    for number, sound in enumerate(sounds):
        found = materials.get(SegmentsRequest(Stretch.of(sound))).copy()
        found[:, 1] = np.clip(1.0 - (found[:, 1] + sound.gain_db) / QUIETEST_DB, 0.0, 1.0)
        rows.append(np.column_stack((np.full(len(found), float(number)), found)))
    return np.concatenate(rows)


def _prepare(layer: Any, materials: Materials) -> Prepared:
    by_likeness = layer.settings.gather == "a likeness"
    segments = segment_map(layer.sounds, materials).ravel() if by_likeness else no_curve()
    return Prepared(clips_of(layer, materials), path=even_steps(layer.path), segments=segments)


KIND = LayerKind(
    "cloud",
    CLOUD,
    "Many short grains from around one place.",
    _prepare,
    render_cloud,
    CLOUD_STATE,
    CLOUD_SCRATCH,
    sounds="many",
    most_sounds=MAX_SOUNDS,
    rooted=True,
    handle="position",
    slide=15.0,
)
