"""Pitch shifting: a sound's pitch moves, its length does not.

The sound is stretched and then read faster or slower. Where formants do not go along, one voice is
shifted period by period (:mod:`.pitch_synchronous`); in other sounds a filter turns the result's
spectral envelope into the original's.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
import soxr
from numpy.typing import NDArray

from innerbloom.core.analysis.track import pitch_track
from innerbloom.core.process.envelope import log_envelope
from innerbloom.core.process.pitch_synchronous import shift_periods
from innerbloom.core.process.separate import window_for
from innerbloom.core.process.stft import OVERLAP, OverlapAdd, spectra_at
from innerbloom.core.process.stretch import Progress, stretch
from innerbloom.core.process.warp import pitch_warp

Formants = Literal["kept", "with the pitch", "on their own"]

_UNPITCHED_HZ = 220.0
_MOST_GAIN = np.log(10.0 ** (36.0 / 20.0))


def shift_pitch(
    samples: NDArray[np.float32],
    rate: int,
    semitones: float,
    *,
    formants: Formants = "with the pitch",
    formant_semitones: float = 0.0,
    progress: Progress | None = None,
) -> NDArray[np.float32]:
    """Raise or lower a sound of shape (frames, channels) by semitones, to the same shape.

    Parameters
    ----------
    formants : {"kept", "with the pitch", "on their own"}
        What becomes of the spectral envelope.
    formant_semitones : float
        How far formants move when they move on their own.
    """
    moved = formant_semitones if formants == "on their own" else 0.0
    warp = pitch_warp(samples, rate) if formants != "with the pitch" and semitones else None
    if warp is not None:
        base = with_envelope_of(samples, samples, rate, moved) if moved else samples
        speed = 2.0 ** (moved / 12.0)
        ratio = 2.0 ** (semitones / 12.0)
        return shift_periods(samples, base, warp, rate, ratio=ratio, formants=speed)
    out = samples
    if semitones:
        ratio = 2.0 ** (semitones / 12.0)
        longer = stretch(samples, rate, ratio, progress=progress)
        out = _fit(soxr.resample(longer, ratio, 1.0, quality="VHQ"), len(samples))
    if formants == "with the pitch":
        return out
    if not semitones and not moved:
        return out
    return with_envelope_of(samples, out, rate, moved)


def _fit(samples: NDArray[np.float32], frames: int) -> NDArray[np.float32]:
    if len(samples) >= frames:
        return samples[:frames]
    return np.pad(samples, ((0, frames - len(samples)), (0, 0)))


def with_envelope_of(
    model: NDArray[np.float32], samples: NDArray[np.float32], rate: int, semitones: float = 0.0
) -> NDArray[np.float32]:
    """Give a sound the moving spectral envelope of another of the same length.

    Parameters
    ----------
    model, samples : ndarray, shape (frames, channels)
    semitones : float
        How far the envelope is moved on the way.
    """
    length = window_for(rate, 0.085)
    hop = length // OVERLAP
    count = len(samples) // hop + 2
    fundamentals = [_fundamentals(one, rate, count, hop) for one in (model, samples)]
    whole = OverlapAdd(len(samples), samples.shape[1], length, hop)
    bins = np.arange(length // 2 + 1)
    read = np.clip(bins / 2.0 ** (semitones / 12.0), 0, bins[-1])
    for number in range(count):
        centre = number * hop
        wanted = log_envelope(model, rate, centre, fundamentals[0][number], length)
        present = log_envelope(samples, rate, centre, fundamentals[1][number], length)
        if semitones:
            wanted = np.interp(read, bins, wanted)
        gain = np.exp(np.clip(wanted - present, -_MOST_GAIN, _MOST_GAIN))
        whole.add(number, spectra_at(samples, np.array([centre]), length) * gain[:, None])
    return whole.result()


def _fundamentals(
    samples: NDArray[np.float32], rate: int, count: int, hop: int
) -> NDArray[np.float64]:
    """The pitch in Hz at each frame, carried across moments without one."""
    track = pitch_track(samples, rate, 0.02)
    if track.voiced.sum() < 3:
        return np.full(count, _UNPITCHED_HZ)
    moments = np.arange(count) * hop / rate
    found: NDArray[np.float64] = np.interp(
        moments, track.times[track.voiced], track.hz[track.voiced]
    )
    return found
