"""Reading a sound at a changing speed, like a tape: pitch and time move together.

Values between samples come from a windowed sinc (J. O. Smith and P. Gossett, "A flexible
sampling-rate conversion method", ICASSP 1984), its cut-off lowered where the sound is read
faster than recorded.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import kernel

_TAPS = 48
_PHASES = 512


def read_at(
    samples: NDArray[np.float32], positions: NDArray[Any], fastest: float | None = None
) -> NDArray[np.float32]:
    """Samples at fractional places, shape (len(positions), channels); silence outside.

    Parameters
    ----------
    samples : ndarray, shape (frames, channels)
    positions : ndarray
        Places in frames.
    fastest : float, optional
        Highest read speed; by default the largest step between positions.
    """
    if fastest is None:
        steps = np.abs(np.diff(positions))
        fastest = float(steps.max()) if len(steps) else 1.0
    # the same table for speeds that differ by less than can be heard, so that it is made once
    table = _table(round(min(1.0, 1.0 / max(fastest, 1e-6)), 4))
    out = np.zeros((len(positions), samples.shape[1]), np.float32)
    _read(np.ascontiguousarray(samples), np.asarray(positions, np.float64), table, out)
    return out


@lru_cache(64)
def _table(cutoff: float) -> NDArray[np.float32]:
    """Taps for each phase between two samples, shape (phases + 1, taps), unity at 0 Hz."""
    k = np.arange(_TAPS) - (_TAPS // 2 - 1)
    phase = np.arange(_PHASES + 1)[:, None] / _PHASES
    distance = k[None, :] - phase
    # a little below, so that the window's slope ends at the cut-off
    narrow = cutoff * 0.97 if cutoff < 1.0 else 1.0
    inside = np.clip(distance / (_TAPS // 2), -1.0, 1.0)
    window = np.i0(9.0 * np.sqrt(1.0 - inside**2)) / np.i0(9.0)
    taps = np.sinc(distance * narrow) * narrow * window
    return np.asarray(taps / taps.sum(axis=1, keepdims=True), np.float32)


@kernel
def _read(samples, positions, table, out):  # type: ignore[no-untyped-def]
    frames, channels = samples.shape
    for i in range(len(positions)):
        place = positions[i]
        base = int(np.floor(place))
        share = (place - base) * _PHASES
        row = int(share)
        between = np.float32(share - row)
        first = base - (_TAPS // 2 - 1)
        if first + _TAPS <= 0 or first >= frames:
            continue
        for c in range(channels):
            total = np.float32(0.0)
            for k in range(max(0, -first), min(_TAPS, frames - first)):
                tap = table[row, k] + between * (table[row + 1, k] - table[row, k])
                total += tap * samples[first + k, c]
            out[i, c] = total
