"""The sources of layers: which kernel makes each kind's signal, and what it remembers.

Every source kernel has one shape::

    render(first, step, out, still, moved, turns, hold, voices, parts, chosen, own, now, pitches,
           sounds, copies, path, seed, layer, retune, scratch)

Every ``step``-th voice from the ``first`` on is rendered. ``out`` float32 (slots, 2 * BLOCK) is filled for the ticks of each part, interleaved where the
source has two channels; ``still`` likewise with the signal as it would be unmoved, where
``hold``. ``moved`` float64 (slots, BLOCK) is what the layer below sends, as phase (``turns`` 1)
or rate (2). ``own`` holds the source's state, one record a slot; ``now`` the layer's settings
(slots, SPAN); ``pitches`` note numbers (slots, SPAN); ``sounds`` and ``copies`` the materials;
``path`` the drawn path at even steps; ``retune`` the semitones of the reference pitch above
A4 = 440 Hz; ``scratch`` a SCRATCH record for each group of voices, that of ``first`` used.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from innerbloom.core.engine.kernels.cloud import CLOUD_STATE, render_cloud
from innerbloom.core.engine.kernels.loop import LOOP_STATE, render_loop
from innerbloom.core.engine.kernels.noise import NOISE_STATE, render_noise
from innerbloom.core.engine.kernels.spectral import render_spectral
from innerbloom.core.engine.kernels.spectral_room import SPECTRAL_STATE
from innerbloom.core.engine.kernels.wave import WAVE_STATE, render_wave


@dataclass(frozen=True)
class SourceKind:
    """How one kind of layer makes its signal.

    Attributes
    ----------
    kernel : callable
    state : dtype
        Of one voice.
    channels : int
    alike : bool
        Whether voices with equal settings make equal signals, which add up in amplitude.
    """

    kernel: Callable[..., None]
    state: np.dtype[Any]
    channels: int
    alike: bool


SOURCE_KINDS: dict[str, SourceKind] = {
    "cloud": SourceKind(render_cloud, CLOUD_STATE, 2, False),
    "loop": SourceKind(render_loop, LOOP_STATE, 2, True),
    "wave": SourceKind(render_wave, WAVE_STATE, 2, True),
    "noise": SourceKind(render_noise, NOISE_STATE, 2, False),
    "spectral": SourceKind(render_spectral, SPECTRAL_STATE, 2, False),
}
