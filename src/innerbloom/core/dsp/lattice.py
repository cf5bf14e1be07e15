"""Intervals that pitches are drawn to."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.scales import LATTICE

_ALLOWED = np.zeros((len(LATTICE), 12), np.bool_)
for _row, _steps in zip(_ALLOWED, LATTICE.values(), strict=True):
    _row[list(_steps)] = True


@borrowing
def nearest_step(semitones, steps):
    """The nearest allowed interval, in semitones; ``steps`` is a place among LATTICE."""
    semitone = math.floor(semitones + 0.5)
    nearer = 1.0 if semitones >= semitone else -1.0
    for away in range(7):
        for side in (nearer * away, -nearer * away):
            if _ALLOWED[steps, np.int64(semitone + side) % 12]:
                return semitone + side
    return semitones
