"""Building a wavetable from plain waves, mixed or modulating each other's phase.

Phase modulation of sines gives sidebands by Bessel functions of the index (J. M. Chowning,
"The synthesis of complex audio spectra by means of frequency modulation", JAES 21(7), 1973).
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cache

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.curves import bent
from innerbloom.core.declare.sound import Sound
from innerbloom.core.materials.wavetable.document import LEAST_AMOUNT, FromWaves, Operator
from innerbloom.core.materials.wavetable.table import (
    HARMONICS,
    Table,
    TableError,
    spectra_of,
    to_full_scale,
)

GRID = 16_384
"""Places of a period at which waves are reckoned: harmonics of a frame are well below."""

_STORED = 1 << 17
Cycle = Callable[[Sound], NDArray[np.float64]]


def build(source: FromWaves, cycle_of: Cycle | None = None) -> Table:
    """The frames of a stack of waves.

    Parameters
    ----------
    cycle_of : callable, optional
        Finds the first frame of a sound, for operators that read one.

    Raises
    ------
    TableError
        If nothing would be heard.
    """
    if not any(_reaches(one, source.operators) for one in source.operators):
        raise TableError("Nothing would be heard: let one wave be heard, at a level above 0.")
    share = np.linspace(0.0, 1.0, source.frames) if source.frames > 1 else np.zeros(1)
    heard = np.zeros((source.frames, GRID))
    for one in source.operators:
        if one.into is None:
            heard += _signal(one, source.operators, share, cycle_of)
    table = Table(spectra_of(heard))
    if np.abs(table.spectra).max() < 1e-6:
        raise TableError(
            "Nothing would be heard: what there is stands still within a period. "
            "Give a wave a harmonic of its own."
        )
    return to_full_scale(table)


def _reaches(one: Operator, operators: list[Operator]) -> bool:
    """Whether an operator is heard at all."""
    return one.into is None and max(one.start, one.end) > LEAST_AMOUNT


def _signal(
    one: Operator, operators: list[Operator], share: NDArray[np.float64], cycle_of: Cycle | None
) -> NDArray[np.float64]:
    """An operator times its amount, with all that modulates it; shape (frames, GRID)."""
    phase = np.broadcast_to(one.harmonic * np.arange(GRID) / GRID + one.phase, (len(share), GRID))
    for other in operators:
        if other.into == one.id:
            phase = phase + _signal(other, operators, share, cycle_of) / (2.0 * np.pi)
    amount = one.start + (one.end - one.start) * bent(share, one.bend)
    amount = np.where(amount <= LEAST_AMOUNT, 0.0, amount)
    return np.asarray(amount[:, None] * _wave(one, cycle_of)(phase))


def _wave(
    one: Operator, cycle_of: Cycle | None
) -> Callable[[NDArray[np.float64]], NDArray[np.float64]]:
    if one.wave == "sine":
        return lambda phase: np.asarray(np.sin(2.0 * np.pi * phase))
    if one.wave == "cycle":
        if one.sound is None or cycle_of is None:
            raise TableError("A wave reads a cycle but none is chosen: choose a recording.")
        stored = cycle_of(one.sound)
    else:
        stored = _series(one.wave)
    return lambda phase: _read(stored, phase)


def _read(stored: NDArray[np.float64], phase: NDArray[np.float64]) -> NDArray[np.float64]:
    """A stored period at any phases, straight between its samples."""
    place = (phase - np.floor(phase)) * len(stored)
    below = place.astype(np.intp) % len(stored)
    one, other = stored[below], stored[(below + 1) % len(stored)]
    return np.asarray(one + (place - np.floor(place)) * (other - one))


@cache
def _series(wave: str) -> NDArray[np.float64]:
    """A plain wave of amplitude 1 from its Fourier series, finely sampled."""
    k = np.arange(1, HARMONICS + 1)
    odd = k % 2 == 1
    if wave == "saw":
        sizes = 2.0 / (np.pi * k)
    elif wave == "square":
        sizes = np.where(odd, 4.0 / (np.pi * k), 0.0)
    else:
        sizes = np.where(odd, 8.0 / (np.pi * k) ** 2, 0.0) * np.where(k % 4 == 3, -1.0, 1.0)
    bins = np.zeros(_STORED // 2 + 1, np.complex128)
    bins[1 : HARMONICS + 1] = -1j * sizes * (_STORED / 2)
    return np.fft.irfft(bins, _STORED)
