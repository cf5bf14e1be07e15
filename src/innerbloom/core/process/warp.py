"""Time warped by the pitch, so that a voice that glides stands still.

A sound that is read at a speed that undoes its pitch contour has harmonics that lie flat: they can
be told from noise, and be stretched, as those of a steady tone (B. Edler et al., "A time-warped MDCT
approach to speech transform coding", AES Convention 126, 2009). The contour is put back afterwards.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from innerbloom.core.analysis.track import PitchTrack, pitch_track
from innerbloom.core.process.varispeed import read_at

_HOP_S = 0.01
_LEAST_VOICED = 0.25
_LEAST_VOICED_S = 0.08
_WIDEST = 1.7
"""The contour is followed as far as this ratio from its median, either way."""


@dataclass(frozen=True)
class Warp:
    """How a sound runs once its pitch stands still.

    Attributes
    ----------
    hz : float
        Its pitch then.
    frames : ndarray, shape (n,)
        Moments of the sound.
    pace : ndarray, shape (n,)
        Frames of the warped sound for each of its own, 1 or more, so that nothing is lost.
    warped : ndarray, shape (n,)
        The moments in the warped sound.
    voiced : ndarray, shape (n,)
        How surely there is a pitch, 0..1.
    """

    hz: float
    frames: NDArray[np.float64]
    pace: NDArray[np.float64]
    warped: NDArray[np.float64]
    voiced: NDArray[np.float64]

    def pace_at(self, frames: NDArray[np.float64]) -> NDArray[np.float64]:
        """Pace at moments of the sound."""
        return np.asarray(np.interp(frames, self.frames, self.pace))

    def to_warped(self, frames: NDArray[np.float64]) -> NDArray[np.float64]:
        """Moments of the sound in the warped one, past its end at its own pace."""
        past = np.maximum(frames - self.frames[-1], 0.0)
        return np.asarray(np.interp(frames, self.frames, self.warped) + past)

    def voiced_at(self, warped: NDArray[Any]) -> NDArray[np.float64]:
        """How surely there is a pitch at moments of the warped sound."""
        return np.asarray(np.interp(warped, self.warped, self.voiced))

    def apply(self, samples: NDArray[np.float32]) -> NDArray[np.float32]:
        """The sound of shape (frames, channels), warped."""
        moments = np.arange(round(float(self.warped[-1])), dtype=np.float64)
        return read_at(samples, np.interp(moments, self.warped, self.frames), fastest=1.0)


def pitch_warp(samples: NDArray[np.float32], rate: float) -> Warp | None:
    """The warp that lays a sound's pitch flat; None where hardly anything has a pitch."""
    track = pitch_track(samples, rate, _HOP_S)
    if track.share_voiced < _LEAST_VOICED or track.voiced.sum() * _HOP_S < _LEAST_VOICED_S:
        return None
    hz = _contour(track)
    lowest = float(hz.min())
    frames = np.append(track.times, max(len(samples) / rate, track.times[-1] + _HOP_S)) * rate
    pace = np.append(hz, hz[-1]) / lowest
    warped = np.concatenate(([0.0], np.cumsum(np.diff(frames) * 0.5 * (pace[1:] + pace[:-1]))))
    voiced = gaussian_filter1d(track.voiced.astype(float), 1.0, mode="nearest")
    return Warp(lowest, frames, pace, warped, np.append(voiced, voiced[-1]))


def _contour(track: PitchTrack) -> NDArray[np.float64]:
    """The pitch at every moment, carried across those without one."""
    there = np.flatnonzero(track.voiced)
    octaves = np.log2(track.hz[there])
    middle = float(np.median(octaves))
    reach = float(np.log2(_WIDEST))
    octaves = np.clip(octaves, middle - reach, middle + reach)
    return np.asarray(2.0 ** np.interp(np.arange(len(track.times)), there, octaves))
