"""Ranges of keys and velocities."""

from __future__ import annotations

from itertools import pairwise

import numpy as np


def spread_evenly(count: int, overlap: int = 0) -> list[tuple[int, int]]:
    """Ranges over 0..127 for so many sounds, each reaching ``overlap`` into its neighbours."""
    edges = np.round(np.linspace(0, 128, count + 1)).astype(int)
    return [
        (max(0, int(low) - overlap), min(127, int(high) - 1 + overlap))
        for low, high in pairwise(edges)
    ]
