"""Room for what kernels reckon with within a tick."""

from __future__ import annotations

import numpy as np

from innerbloom.core.engine.kernels.spectral_room import SPECTRAL_ROOM
from innerbloom.core.engine.state import FINE, FINE_TAPS, TICK, WAVE_TICK
from innerbloom.core.instrument.kind_parameters import MOST_OSCILLATORS

SCRATCH = np.dtype(
    [
        ("weights", np.float32, (4 * TICK,)),
        ("dry", np.float32, (2 * TICK,)),
        ("between", np.float32, (TICK,)),
        ("index", np.int32, (TICK,)),
        ("shift", np.float64, (TICK + 1,)),
        ("phases", np.float64, (TICK,)),
        ("plain", np.float64, (TICK,)),
        ("new", np.float64, (6,)),
        ("wave", WAVE_TICK),
        ("pitches", np.float64, (MOST_OSCILLATORS,)),
        ("lefts", np.float64, (MOST_OSCILLATORS,)),
        ("rights", np.float64, (MOST_OSCILLATORS,)),
        ("fine", np.float32, (FINE * TICK,)),
        ("fine_phases", np.float64, (FINE * TICK,)),
        ("fine_turned", np.float64, (FINE * TICK,)),
        ("fine_weights", np.float32, (4 * FINE * TICK + 4,)),
        ("fine_index", np.int32, (FINE * TICK + 1,)),
        ("fine_shares", np.float32, (FINE * TICK,)),
        ("fine_left", np.float32, (FINE_TAPS + FINE * TICK,)),
        ("fine_right", np.float32, (FINE_TAPS + FINE * TICK,)),
        ("still_left", np.float32, (FINE_TAPS + FINE * TICK,)),
        ("still_right", np.float32, (FINE_TAPS + FINE * TICK,)),
        ("spectral", SPECTRAL_ROOM),
    ],
    align=True,
)
"""One record for each group of voices."""
