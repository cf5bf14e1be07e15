"""Pulling a sound to true pitch by reading it a little faster or slower where it is off.

Notes come first (:mod:`.note_segments`); drift is told within each, never across its borders.

Reading at a changing speed leaves attacks and stereo untouched; time moves along by the same
few per cent, or is put back by stretching.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from innerbloom.core.analysis.note_segments import NoteSegment, note_segments
from innerbloom.core.analysis.track import PitchTrack, pitch_track
from innerbloom.core.errors import BloomError
from innerbloom.core.process.stretch import Progress, TimeMap, follow_map
from innerbloom.core.process.varispeed import read_at
from innerbloom.core.scales import SCALES

Target = Literal["nearest note", "a note", "a scale"]

_VIBRATO_S = 0.18
"""Spread of the smoothing that leaves vibrato of 4 Hz and more out of the drift."""

_CLOSE_S = 0.02
_GLIDE = 0.9
"""Semitones off its middle from which a note glides to its neighbour."""

_LESS = 0.95
_BETWEEN_S = 0.008
"""Spread of the smoothing over the whole: from one note to the next in about 30 ms."""

_LEAST_VOICED = 0.15


def nearest_in_scale(
    notes: NDArray[np.float64], scale: str = "chromatic", key: float = 60.0, tuning: float = 440.0
) -> NDArray[np.float64]:
    """The nearest notes of a scale on a key; notes are relative to A4 = 440 Hz.

    ``tuning`` is the reference pitch the scale stands on.
    """
    lift = 12.0 * np.log2(tuning / 440.0)
    steps = np.array(SCALES[scale], float) + round(key) % 12
    octaves = np.arange(-2, 13)[:, None] * 12.0
    grid = np.sort((octaves + steps[None, :]).ravel()) + lift
    return np.asarray(grid[np.abs(notes[:, None] - grid[None, :]).argmin(axis=1)])


def correction(
    track: PitchTrack,
    *,
    target: Target = "nearest note",
    note: float = 57.0,
    scale: str = "chromatic",
    flatten: float = 1.0,
    keep_vibrato: bool = True,
    tuning: float = 440.0,
) -> NDArray[np.float64]:
    """Semitones to add at each moment of a track.

    Each note's middle is brought to its target; ``flatten`` (0..1) says how much of the drift
    about that middle is taken out.

    Raises
    ------
    BloomError
        If hardly anything has a pitch.
    """
    if track.share_voiced < _LEAST_VOICED:
        raise BloomError("There is no clear pitch here to pull: choose a tonal stretch.")
    voiced = np.flatnonzero(track.voiced)
    times = np.arange(len(track.times))
    notes = np.interp(times, voiced, track.notes[voiced])
    hop = float(track.times[1] - track.times[0]) if len(track.times) > 1 else 0.01
    segments = note_segments(track)
    middle = np.repeat([one.note for one in segments], [one.last - one.first for one in segments])
    if target == "a note":
        wanted = np.full(len(notes), note + 12.0 * np.log2(tuning / 440.0))
    else:
        used = scale if target == "a scale" else "chromatic"
        wanted = nearest_in_scale(middle, used, note, tuning)
    drift = _drift(notes, segments, (_VIBRATO_S if keep_vibrato else _CLOSE_S) / hop)
    found = wanted - middle - flatten * drift
    return np.asarray(gaussian_filter1d(found, _BETWEEN_S / hop, mode="nearest"))


def _drift(
    notes: NDArray[np.float64], segments: list[NoteSegment], spread: float
) -> NDArray[np.float64]:
    """How far the pitch lies off each note's middle, smoothed inside the note and without the
    glides at its ends; its median is 0."""
    parts = []
    for one in segments:
        off = notes[one.first : one.last] - one.note
        moments = np.arange(len(off))
        near = np.abs(off) <= _GLIDE
        held = np.interp(moments, moments[near], off[near]) if near.any() else np.zeros(len(off))
        smooth = gaussian_filter1d(held, spread, mode="nearest")
        smooth -= np.median(smooth)
        # what hardly drifts is left alone, so that no note is spread more than it was
        inner = slice(len(off) // 5, len(off) - len(off) // 5)
        long_enough = len(off) >= 4.0 * spread
        steadier = long_enough and np.std(held[inner] - smooth[inner]) < _LESS * np.std(held[inner])
        parts.append(smooth if steadier else np.zeros(len(off)))
    return np.concatenate(parts)


def retune(
    samples: NDArray[np.float32],
    rate: float,
    *,
    keep_time: bool = False,
    progress: Progress | None = None,
    **wanted: object,
) -> NDArray[np.float32]:
    """Pull a sound of shape (frames, channels) to pitch; see :func:`correction`.

    Parameters
    ----------
    keep_time : bool
        Put timing back where it was; otherwise it moves with the pitch, by 6 % a semitone.
    """
    track = pitch_track(samples, rate)
    semitones = correction(track, **wanted)  # type: ignore[arg-type]
    places = np.append(track.times, max(len(samples) / rate, track.times[-1] + 1e-3)) * rate
    speed = 2.0 ** (np.append(semitones, semitones[-1]) / 12.0)
    steps = np.diff(places)
    if keep_time:
        longer = np.concatenate(([0.0], np.cumsum(steps * 0.5 * (speed[1:] + speed[:-1]))))
        stretched = follow_map(samples, rate, TimeMap(longer, places), progress)
        return read_at(stretched, np.interp(np.arange(len(samples)), places, longer))
    shorter = np.concatenate(([0.0], np.cumsum(steps * 0.5 * (1 / speed[1:] + 1 / speed[:-1]))))
    moments = np.arange(round(float(shorter[-1])))
    return read_at(samples, np.interp(moments, shorter, places))
