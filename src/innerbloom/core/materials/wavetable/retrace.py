"""How well a wavetable, swept as fast as its recording went, retraces it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import map_coordinates

from innerbloom.core.materials.wavetable import harmonics
from innerbloom.core.materials.wavetable.extract import Extracted, decibels
from innerbloom.core.materials.wavetable.following import Cycles
from innerbloom.core.materials.wavetable.table import CYCLE, Table, rms_of

_MOMENTS = 100
_HEARD_DB = -59.9
_CLEAR = 2.0
"""How far a harmonic has to rise over the noise beside it, as a ratio of amplitudes."""


@dataclass(frozen=True)
class Retraced:
    """How far a swept table is from its recording.

    Attributes
    ----------
    timbre_db : float
        Mean over time of the RMS difference of harmonics' levels, each moment's strongest
        taken as 0 dB (log-spectral distance; A. H. Gray and J. D. Markel, IEEE Trans. ASSP
        24(5), 1976). Harmonics 60 dB below it, or of cycles that are lost in the noise beside
        them, are left out.
    level_db : float
        RMS over time of the difference in level, as swept with the recording's own levels.
    """

    timbre_db: float
    level_db: float


def retrace(samples: NDArray[np.float32], found: Extracted) -> Retraced:
    """Compare a table with its recording, at moments between the frames too."""
    table = found.table
    assert table.seconds is not None
    seconds = np.linspace(table.seconds[0], table.seconds[-1], _MOMENTS)
    if found.by == "cycles":
        mono = samples.mean(axis=1, dtype=np.float64).astype(np.float32)
        wanted, between = _and_between(mono, found.pace, seconds)
    else:
        wanted, between = found.measure(seconds), np.zeros(1)
    one, other = decibels(wanted), decibels(_spectra_at(table, seconds)[:, : wanted.shape[1]])
    level = rms_of(wanted)
    loud = level > 1e-3 * level.max()
    heard = (one > _HEARD_DB) & (np.abs(wanted) > _CLEAR * between)
    squares = np.where(heard, (one - other) ** 2, 0.0).sum(axis=1) / np.maximum(
        heard.sum(axis=1), 1
    )
    gains = np.interp(seconds, table.seconds, found.levels)
    off = 20.0 * np.log10(np.maximum(gains[loud], 1e-9) / np.maximum(level[loud], 1e-9))
    return Retraced(
        float(np.sqrt(squares[loud]).mean()) if loud.any() else 0.0,
        float(np.sqrt(np.mean(off**2))) if loud.any() else 0.0,
    )


def _and_between(
    mono: NDArray[np.float32], cycles: Cycles, seconds: NDArray[np.float64]
) -> tuple[NDArray[np.complex128], NDArray[np.float64]]:
    """Harmonics, and the level half way between each and its neighbours, which is noise.

    Two cycles counted as one have the harmonics at their even multiples and noise at the odd.
    """
    pairs = harmonics.of_cycles(mono, Cycles(0.5 * cycles.count, cycles.rate), seconds, 4)
    odd = np.abs(pairs[:, 0::2])
    return pairs[:, 1::2], 0.5 * (odd[:, :-1] + odd[:, 1:])


def _spectra_at(table: Table, seconds: NDArray[np.float64]) -> NDArray[np.complex128]:
    assert table.seconds is not None
    at = np.interp(seconds, table.seconds, np.arange(len(table)))
    below = np.minimum(at.astype(np.intp), max(len(table) - 2, 0))
    share = (at - below)[:, None]
    above = np.minimum(below + 1, len(table) - 1)
    return np.asarray(table.spectra[below] * (1 - share) + table.spectra[above] * share)


def swept_sound(table: Table, cycles: Cycles, levels: NDArray[np.float64]) -> NDArray[np.float32]:
    """The table swept along its recording's own pitch and pace, to listen to both.

    Parameters
    ----------
    levels : ndarray, shape (frames,)
        RMS that each frame is to have.

    Returns
    -------
    ndarray of float32, shape (frames, 1)
        As long as the recording.
    """
    assert table.seconds is not None
    waves = table.waves() * (levels / np.maximum(rms_of(table.spectra), 1e-9))[:, None]
    seconds = np.arange(len(cycles.count)) / cycles.rate
    rows = np.interp(seconds, table.seconds, np.arange(len(table)))
    columns = (cycles.count % 1.0) * CYCLE
    padded = np.concatenate((waves, waves[:, :4]), axis=1)
    made = map_coordinates(padded, (rows, columns), order=1, mode="nearest")
    inside = (seconds >= table.seconds[0]) & (seconds <= table.seconds[-1])
    return np.asarray((made * inside)[:, None], np.float32)
