"""A sketch of an instrument: the spectrogram of one note, small enough to stand in a list."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.engine import ENGINE_RATE, Engine, Program
from innerbloom.core.performance.events import Event

COLUMNS, ROWS = 64, 40
FAINTEST_DB, LOUDEST_DB = -100.0, -20.0
_SECONDS = 2.0
_LET_GO_S = 1.5
_WINDOW = 4_096
_LOWEST_HZ, _HIGHEST_HZ = 40.0, 18_000.0


def sketch(program: Program, key: float = 48.0, velocity: float = 0.8) -> NDArray[np.uint8]:
    """The first two seconds of a note that is let go after one and a half.

    Returns
    -------
    ndarray of uint8, shape (ROWS, COLUMNS)
        Level of bands even in log frequency, the highest first, from -100 dBFS (0) to
        -20 dBFS (255).
    """
    end = round(_LET_GO_S * ENGINE_RATE)
    events = [Event("on", 1, key, velocity), Event("off", 1, time=end)]
    heard = Engine(program).render(round(_SECONDS * ENGINE_RATE), events).mean(axis=1)
    hop = (len(heard) - _WINDOW) // (COLUMNS - 1)
    frames = np.lib.stride_tricks.sliding_window_view(heard, _WINDOW)[::hop][:COLUMNS]
    window = np.hanning(_WINDOW)
    power = np.abs(scipy.fft.rfft(frames * window, axis=1) / (0.5 * window.sum())) ** 2
    edges = np.geomspace(_LOWEST_HZ, _HIGHEST_HZ, ROWS + 1) * _WINDOW / ENGINE_RATE
    bands = [
        power[:, int(low) : max(int(low) + 1, int(np.ceil(high)))].sum(axis=1)
        for low, high in pairwise(edges)
    ]
    level = 10.0 * np.log10(np.array(bands)[::-1] + 1e-14)
    share = (level - FAINTEST_DB) / (LOUDEST_DB - FAINTEST_DB)
    return np.asarray(np.round(255 * np.clip(share, 0.0, 1.0)), np.uint8)
