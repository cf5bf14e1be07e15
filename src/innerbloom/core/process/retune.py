"""Pulling a sound to true pitch by reading it a little faster or slower where it is off.

Reading at a changing speed leaves attacks and stereo untouched; time moves along by the same
few per cent, or is put back by stretching.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from innerbloom.core.analysis.track import PitchTrack, pitch_track
from innerbloom.core.errors import BloomError
from innerbloom.core.process.stretch import Progress, TimeMap, follow_map
from innerbloom.core.process.varispeed import read_at
from innerbloom.core.scales import SCALES

Target = Literal["nearest note", "a note", "a scale"]

_VIBRATO_S = 0.18
"""Spread of the smoothing that leaves vibrato of 4 Hz and more out of the drift."""

_CLOSE_S = 0.02
_NEW_NOTE = 0.8
"""Semitones from which a lasting change is a new note, not drift."""

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
    drift = gaussian_filter1d(notes, _VIBRATO_S / hop, mode="nearest")
    middle = _middles(drift, track.rms * track.voiced, hop)
    if target == "a note":
        wanted = np.full(len(notes), note + 12.0 * np.log2(tuning / 440.0))
    else:
        used = scale if target == "a scale" else "chromatic"
        wanted = nearest_in_scale(middle, used, note, tuning)
    curve = drift if keep_vibrato else gaussian_filter1d(notes, _CLOSE_S / hop, mode="nearest")
    return np.asarray(wanted - middle + flatten * (middle - curve))


def _middles(
    drift: NDArray[np.float64], weight: NDArray[np.float64], hop: float
) -> NDArray[np.float64]:
    """The mean pitch of the note that each moment belongs to."""
    middle = np.empty_like(drift)
    start = 0
    centre = drift[0]
    for i in range(1, len(drift) + 1):
        ended = i == len(drift)
        if not ended and abs(drift[i] - centre) <= _NEW_NOTE:
            # the note may drift on slowly
            centre += (drift[i] - centre) * min(1.0, hop / 0.3)
            continue
        inside = slice(start, i)
        total = weight[inside].sum()
        middle[inside] = (
            np.average(drift[inside], weights=weight[inside]) if total > 0 else drift[inside].mean()
        )
        if not ended:
            start, centre = i, drift[i]
    return middle


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
