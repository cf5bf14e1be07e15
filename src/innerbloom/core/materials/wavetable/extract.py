"""Taking the frames of a wavetable from a recording."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.materials.wavetable import harmonics
from innerbloom.core.materials.wavetable.document import FromRecording
from innerbloom.core.materials.wavetable.following import Cycles, follow_cycles, steady_cycles
from innerbloom.core.materials.wavetable.shape import with_phases
from innerbloom.core.materials.wavetable.table import (
    Spectra,
    Table,
    TableError,
    rms_of,
    to_full_scale,
)
from innerbloom.core.pitch_names import note_to_hz

UNPITCHED_ROOT = 36.0
"""Note whose multiples a spectrum is gathered at where none is given: C2, 65.4 Hz."""

_DENSE = 4
_MOST_MOMENTS = 512
_DEAD_DB = -60.0
_LEVEL_WINDOW_S = 0.01
_FLOOR_DB = -60.0


Measure = Callable[[NDArray[np.float64]], Spectra]


@dataclass(frozen=True)
class Extracted:
    """What came of an extraction.

    Attributes
    ----------
    table : Table
    by : {"cycles", "spectra", "stretches"}
    pace : Cycles
        The count of cycles that brings the sound back: its own where it went by cycles, else
        steady at the root, or at one cycle a stretch.
    levels : ndarray, shape (frames,)
        RMS of each frame in the recording, before levels were made equal.
    measure : callable
        Harmonics at any moments, in seconds, as the frames were taken.
    """

    table: Table
    by: str
    pace: Cycles
    levels: NDArray[np.float64]
    measure: Measure


def extract(
    samples: NDArray[np.float32], rate: float, how: FromRecording, tuning: float = 440.0
) -> Extracted:
    """Take the frames of a wavetable from a recording.

    Parameters
    ----------
    samples : ndarray, shape (frames, channels)
        Channels are averaged.
    rate : float
        Frames a second.
    how : FromRecording
    tuning : float
        Hz of A4, for its root.

    Raises
    ------
    TableError
        If the recording is silent or too short, has no pitch where cycles are asked for, or
        holds values that are no numbers.
    """
    mono = _checked(samples.mean(axis=1, dtype=np.float64).astype(np.float32), rate)
    if float(np.abs(mono).max()) < 1e-6:
        raise TableError("The recording is silent: there is nothing to take frames from.")
    begin, end = _stretch(mono, rate, how)
    by, pace = _way(mono, rate, how, tuning)
    dense = np.linspace(begin, end, min(_DENSE * how.frames, _MOST_MOMENTS))

    def measure(seconds: NDArray[np.float64]) -> Spectra:
        if by == "cycles":
            return harmonics.of_cycles(mono, pace, seconds, how.together)
        if by == "spectra":
            return harmonics.of_spectrum(mono, rate, seconds, _root_hz(how, tuning))
        return harmonics.of_stretches(mono, rate, seconds, how.stretch_ms * 1e-3, how.closed)

    seconds = _places(how, begin, end, dense, measure)
    spectra = measure(seconds)
    levels = rms_of(spectra)
    if how.level == "equal":
        spectra = spectra / np.maximum(levels, 1e-4 * max(float(levels.max()), 1e-12))[:, None]
    if how.phases != "kept":
        spectra = with_phases(spectra, how.phases)
    return Extracted(to_full_scale(Table(spectra, seconds)), by, pace, levels, measure)


def _checked(mono: NDArray[np.float32], rate: float) -> NDArray[np.float32]:
    if not len(mono):
        raise TableError("The recording is empty: there is nothing to take frames from.")
    if not np.isfinite(mono).all():
        raise TableError("The recording holds values that are no numbers: repair or replace it.")
    return mono - np.float32(mono.mean())


def _stretch(mono: NDArray[np.float32], rate: float, how: FromRecording) -> tuple[float, float]:
    """From where to where frames are taken, seconds."""
    total = len(mono) / rate
    begin = min(how.start, total)
    end = _died_away(mono, rate) if how.end is None else min(how.end, total)
    if end <= begin and how.spread != "hand":
        raise TableError("The stretch to take frames from is empty: its end has to come later.")
    return begin, end


def _died_away(mono: NDArray[np.float32], rate: float) -> float:
    """Where the sound is last within 60 dB of its loudest moment."""
    hop = max(1, round(_LEVEL_WINDOW_S * rate))
    rows = np.pad(mono, (0, -len(mono) % hop)).reshape(-1, hop)
    level = np.sqrt(np.square(rows, dtype=np.float64).mean(axis=1))
    heard = np.flatnonzero(level > level.max() * 10.0 ** (_DEAD_DB / 20.0))
    return min(float(heard[-1] + 1) * hop, len(mono)) / rate


def _way(
    mono: NDArray[np.float32], rate: float, how: FromRecording, tuning: float
) -> tuple[str, Cycles]:
    """Which way frames are taken, and the count of cycles that brings the sound back."""
    if how.by == "stretches":
        return how.by, steady_cycles(len(mono), rate, 1e3 / how.stretch_ms)
    if how.by != "spectra":
        hz = None if how.root is None else note_to_hz(how.root, tuning)
        try:
            return "cycles", follow_cycles(mono, rate, hz)
        except TableError:
            if how.by == "cycles":
                raise
    return "spectra", steady_cycles(len(mono), rate, _root_hz(how, tuning))


def _root_hz(how: FromRecording, tuning: float) -> float:
    return note_to_hz(UNPITCHED_ROOT if how.root is None else how.root, tuning)


def _places(
    how: FromRecording,
    begin: float,
    end: float,
    dense: NDArray[np.float64],
    measure: Measure,
) -> NDArray[np.float64]:
    """Where frames are taken, seconds."""
    if how.spread == "hand":
        if not how.places:
            raise TableError("No places are chosen yet: choose some on the picture.")
        return np.sort(np.array(how.places))
    if how.spread == "time":
        return np.linspace(begin, end, how.frames)
    changed = np.zeros(len(dense))
    changed[1:] = np.cumsum(timbre_steps(measure(dense)))
    # a little of time as well, so that a sound that never changes is spread evenly
    changed += (0.02 * changed[-1] + 1e-9) * np.linspace(0.0, 1.0, len(changed))
    wanted = np.linspace(0.0, changed[-1], how.frames)
    return np.asarray(np.interp(wanted, changed, dense))


def decibels(spectra: Spectra) -> NDArray[np.float64]:
    """Levels of harmonics below the strongest of each row, floored at -60 dB."""
    size = np.abs(spectra)
    loudest = np.maximum(size.max(axis=1, keepdims=True), 1e-12)
    return np.asarray(20.0 * np.log10(np.maximum(size / loudest, 10.0 ** (_FLOOR_DB / 20.0))))


def timbre_steps(spectra: Spectra) -> NDArray[np.float64]:
    """How far the timbre moves from each row to the next: RMS of differences in dB."""
    levels = decibels(spectra)
    heard = (levels > _FLOOR_DB).any(axis=0)
    if not heard.any():
        return np.zeros(len(levels) - 1)
    return np.asarray(np.sqrt((np.diff(levels[:, heard], axis=0) ** 2).mean(axis=1)))
