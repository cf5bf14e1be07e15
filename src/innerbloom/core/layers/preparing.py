"""What kinds of layer share in finding what they play."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.sound import Sound
from innerbloom.core.dsp.state import PATH_STEPS
from innerbloom.core.errors import DocumentError
from innerbloom.core.materials.clip import ClipRequest, Material
from innerbloom.core.materials.protocol import Materials, Stretch


def even_steps(curve: list[tuple[float, float]]) -> NDArray[np.float64]:
    """A drawn curve at PATH_STEPS even steps."""
    points = np.array(curve)
    return np.asarray(np.interp(np.linspace(0, 1, PATH_STEPS), points[:, 0], points[:, 1]))


def sounds_of(layer: Any) -> list[Sound]:
    """A layer's sounds; DocumentError if it has none."""
    if not layer.sounds:
        raise DocumentError(f"The layer '{layer.name}' has no sound yet: choose one.")
    sounds: list[Sound] = layer.sounds
    return sounds


def clips_of(layer: Any, materials: Materials) -> tuple[Material, ...]:
    """Each of a layer's sounds, ready to be read."""
    return tuple(materials.get(ClipRequest(Stretch.of(one))) for one in sounds_of(layer))


def stretch_if(layer: Any, wanted: bool) -> Stretch | None:
    """The stretch of a layer's first sound, where it is wanted."""
    return Stretch.of(sounds_of(layer)[0]) if wanted else None
