"""Working on the frames of a wavetable. Each function gives a changed copy."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from innerbloom.core.materials.wavetable import document as d
from innerbloom.core.materials.wavetable.harmonics import schroeder_phases
from innerbloom.core.materials.wavetable.table import (
    CYCLE,
    HARMONICS,
    MOST_FRAMES,
    Spectra,
    Table,
    TableError,
    rms_of,
    spectra_of,
    to_full_scale,
    waves_of,
)

_NUMBERS = np.arange(1, HARMONICS + 1)


def with_phases(spectra: Spectra, to: str) -> Spectra:
    """The same levels with other phases.

    Parameters
    ----------
    to : {"zero", "shared", "low peak"}
        All sines in phase; for each harmonic one phase that all frames share, the mean of
        theirs weighted by level; or phases that keep the peak low.
    """
    size = np.abs(spectra)
    if to == "zero":
        return size * -1j
    if to == "low peak":
        return np.asarray(size * np.exp(1j * schroeder_phases(size)))
    return np.asarray(size * np.exp(1j * np.angle(spectra.sum(axis=0))))


def shaped(table: Table, steps: list[Any]) -> Table:
    """Do all steps of a recipe, in order; TableError where one does not fit."""
    for step in steps:
        table = _WORK[type(step)](table, step)
    return table


def _arrange(table: Table, step: d.Arrange) -> Table:
    if max(step.frames) >= len(table):
        raise TableError(
            f"Frame {max(step.frames) + 1} is to be kept, but the table has {len(table)} frames."
        )
    return table.taken(np.array(step.frames))


def _between(table: Table, step: d.Between) -> Table:
    """Frames between frames: of samples, or of levels and phases apart."""
    first, last = step.first - 1, min(step.last, len(table)) - 1
    if first >= last:
        raise TableError("Frames are drawn between two that are there: choose a longer stretch.")
    at = np.linspace(first, last, step.frames)
    ends = np.arange(first), np.arange(last + 1, len(table))
    whole: NDArray[np.float64] = np.concatenate((ends[0], at, ends[1])).astype(np.float64)
    below = np.minimum(whole.astype(np.intp), max(len(table) - 2, 0))
    share = (whole - below)[:, None]
    one, other = table.spectra[below], table.spectra[below + 1]
    if step.by == "time":
        made = one + share * (other - one)
    else:
        turn = np.angle(other * np.conj(one))
        size = np.abs(one) + share * (np.abs(other) - np.abs(one))
        # a harmonic that begins or ends takes the other's phase
        base = np.where(np.abs(one) > 0, np.angle(one), np.angle(other))
        made = size * np.exp(1j * (base + share * turn))
    seconds = None
    if table.seconds is not None:
        seconds = np.interp(whole, np.arange(len(table)), table.seconds)
    return Table(made, seconds)


def _level(table: Table, step: d.Level) -> Table:
    if step.to == "whole":
        return to_full_scale(table)
    of_peaks = step.to == "equal peaks"
    sizes = np.abs(table.waves()).max(axis=1) if of_peaks else rms_of(table.spectra)
    heard = sizes > 1e-9
    spectra = table.spectra.copy()
    spectra[heard] /= sizes[heard, None]
    return to_full_scale(table.with_spectra(spectra))


def _tilt(table: Table, step: d.Tilt) -> Table:
    gain = 10.0 ** (step.db_per_octave * np.log2(_NUMBERS) / 20.0)
    return to_full_scale(table.with_spectra(table.spectra * gain))


def _keep(table: Table, step: d.Keep) -> Table:
    kept = (step.lowest <= _NUMBERS) & (step.highest >= _NUMBERS)
    if step.which != "all":
        kept &= (1 if step.which == "odd" else 0) == _NUMBERS % 2
    if not np.abs(table.spectra[:, kept]).any():
        raise TableError("Nothing would be left to hear: keep more harmonics.")
    return table.with_spectra(np.where(kept, table.spectra, 0.0))


def _draw(table: Table, step: d.Draw) -> Table:
    if step.frame is not None and step.frame >= len(table):
        raise TableError(f"Frame {step.frame + 1} was drawn, but the table has {len(table)}.")
    spectra = table.spectra.copy()
    rows: Any = slice(None) if step.frame is None else slice(step.frame, step.frame + 1)
    # a level is told from the strongest harmonic of a full-scale sine
    for number, level in step.levels:
        size = 10.0 ** (level / 20.0) if level > -120 else 0.0
        angles = np.angle(spectra[rows, number - 1])
        silent = np.abs(spectra[rows, number - 1]) == 0
        spectra[rows, number - 1] = size * np.exp(1j * np.where(silent, -np.pi / 2, angles))
    return table.with_spectra(spectra)


def _phases(table: Table, step: d.Phases) -> Table:
    return to_full_scale(table.with_spectra(with_phases(table.spectra, step.to)))


def _smooth(table: Table, step: d.Smooth) -> Table:
    """Levels smoothed along the table; phases as they are."""
    size = gaussian_filter1d(np.abs(table.spectra), step.frames, axis=0, mode="nearest")
    return table.with_spectra(size * np.exp(1j * np.angle(table.spectra)))


_WORK: dict[type[Any], Callable[[Table, Any], Table]] = {
    d.Arrange: _arrange,
    d.Between: _between,
    d.Level: _level,
    d.Tilt: _tilt,
    d.Keep: _keep,
    d.Draw: _draw,
    d.Phases: _phases,
    d.Smooth: _smooth,
}


def from_cycles(sounds: list[tuple[NDArray[np.float32], int | None]]) -> Table:
    """Frames from cycles that are there already.

    Parameters
    ----------
    sounds : list of (samples of shape (frames, channels), frames of a cycle or None)
        None where a sound is one cycle as a whole. A last incomplete cycle is left out.

    Raises
    ------
    TableError
        If a sound is shorter than a cycle, silent, or holds values that are no numbers.
    """
    rows: list[Spectra] = []
    count = 0
    for samples, cycle in sounds:
        mono = samples.mean(axis=1, dtype=np.float64)
        size = cycle or len(mono)
        if size < 8 or len(mono) < size:
            raise TableError(f"A cycle of {size} frames does not fit into {len(mono)}.")
        if not np.isfinite(mono).all():
            raise TableError("A cycle holds values that are no numbers: repair or replace it.")
        whole = len(mono) // size
        count += whole
        if count > MOST_FRAMES:
            raise TableError(
                f"This holds {count} cycles or more; a wavetable has {MOST_FRAMES} at most: "
                "choose longer cycles or a shorter stretch."
            )
        rows.append(spectra_of(mono[: whole * size].reshape(whole, size)))
    table = Table(np.concatenate(rows))
    if not np.abs(table.spectra).any():
        raise TableError("These cycles are silent: there is nothing to make a table of.")
    return table


def one_wave(table: Table) -> NDArray[np.float64]:
    """The first frame, shape (CYCLE,)."""
    return np.asarray(waves_of(table.spectra[:1], CYCLE)[0])
