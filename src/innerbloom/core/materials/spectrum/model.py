"""What a spectrum is: partials over time, strikes, and noise in bands.

Deterministic partials and a noise residual follow X. Serra and J. O. Smith, "Spectral modeling
synthesis", Computer Music Journal 14(4), 1990; short beginnings apart from both follow T. S.
Verma and T. H. Y. Meng, "Extending spectral modeling synthesis with transient modeling
synthesis", Computer Music Journal 24(2), 2000.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.errors import BloomError

RATE = 48_000
HOP = 256
"""Frames at RATE between two moments of a spectrum."""

MOMENTS_S = RATE / HOP
LONGEST_S = 180.0
Floats = NDArray[np.float32]


class SpectrumError(BloomError):
    """A sound that has no spectrum to play, or a file that holds none."""


@dataclass(frozen=True)
class Strike:
    """A beginning too short for partials and noise, as samples.

    Attributes
    ----------
    at_s : float
        Where its first sample lies, in seconds.
    samples : ndarray of float32, shape (frames,)
        At RATE.
    side : ndarray of float32, shape (frames,), or None
        The same of the side, where the sound has one.
    """

    at_s: float
    samples: Floats
    side: Floats | None = None


@dataclass(frozen=True)
class Track:
    """One partial from its birth to its death.

    Attributes
    ----------
    first : int
        Moment of its birth.
    hz, level, phase : ndarray of float32, shape (moments,)
        Frequency, peak amplitude, and phase in radians of a cosine at each moment.
    side : ndarray of complex64, shape (moments,), or None
        The side over the mid, both as phasors: left is 1 + side times the partial, right 1 - side.
    """

    first: int
    hz: Floats
    level: Floats
    phase: Floats
    side: NDArray[np.complex64] | None = None

    @classmethod
    def of(cls, first: int, *courses: NDArray[np.floating]) -> Track:
        """A track from frequency, level and phase in whatever precision they were found."""
        hz, level, phase = (np.asarray(one, np.float32) for one in courses)
        return cls(first, hz, level, phase)

    def __len__(self) -> int:
        return len(self.hz)

    @property
    def energy(self) -> float:
        """Sum of squared amplitudes."""
        return float(np.dot(self.level, self.level))

    @property
    def centre_hz(self) -> float:
        """Mean frequency, weighted by power."""
        power = self.level.astype(np.float64) ** 2 + 1e-20
        return float(np.exp(np.dot(power, np.log(self.hz)) / power.sum()))


@dataclass(frozen=True)
class SideNoise:
    """What the side of a sound has of its noise.

    Attributes
    ----------
    level : ndarray of float32, shape (moments, BANDS)
        RMS amplitude of each band.
    correlation : ndarray of float32, shape (moments, BANDS)
        With the noise of the mid, -1..1: above zero the left is louder, below it the right.
    """

    level: Floats
    correlation: Floats


@dataclass(frozen=True)
class Spectrum:
    """A sound as partials, strikes and noise, all of its mid, and what else its side holds.

    Attributes
    ----------
    seconds : float
    root_hz : float or None
        None where there is no clear pitch.
    tonal : float
        Share of the power that partials have, 0..1.
    tracks : tuple of Track
    noise, struck : ndarray of float32, shape (moments, BANDS)
        RMS amplitude of each band of noise, without strikes and of strikes alone.
    strikes : tuple of Strike
    window : int
        Frames at RATE that partials were looked at through.
    side_noise : SideNoise or None
        None where the sound has no side.
    """

    seconds: float
    root_hz: float | None
    tonal: float
    tracks: tuple[Track, ...]
    noise: Floats
    struck: Floats
    strikes: tuple[Strike, ...]
    window: int
    side_noise: SideNoise | None = None

    @property
    def moments(self) -> int:
        return len(self.noise)

    @property
    def most_at_once(self) -> int:
        """How many partials sound together at the most."""
        if not self.tracks:
            return 0
        change = np.zeros(self.moments + 1, np.int64)
        for track in self.tracks:
            change[track.first] += 1
            change[track.first + len(track)] -= 1
        return int(np.cumsum(change).max())
