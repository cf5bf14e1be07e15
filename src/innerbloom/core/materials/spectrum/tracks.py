"""From peaks to partials: linking what goes on, and telling it from noise.

R. J. McAulay and T. F. Quatieri, "Speech analysis/synthesis based on a sinusoidal
representation", IEEE Trans. ASSP 34(4), 1986: each partial takes the nearest peak of the next
moment. Here the loudest chooses first, and a partial may miss a few moments.

Partials that beat with their neighbours or glide scatter as noise does, but their level goes on
smoothly where that of noise fades at random from one window to the next: M. Lagrange, S. Marchand
and J.-B. Rault, "Enhancing the tracking of partials for the sinusoidal modeling of polyphonic
sounds", IEEE Trans. ASLP 15(5), 2007.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import kernel
from innerbloom.core.materials.spectrum.model import HOP, MOMENTS_S, RATE, Track
from innerbloom.core.materials.spectrum.peaks import Peaks, spread_s2

_LEAST_OCTAVES = 0.03
_LEAST_HZ = 5.0

_MISSED = 3

_STEADY_WINDOWS = 3.0
"""How many windows a track lasts at least to be told from noise by its level."""

_MOST_STEADY_SCATTER = 0.8
"""Most scatter, in bins, of such a track."""

_GLIDING_DB = 0.35
"""Most that the level of a track strays which glides; one that beats only seems to, and its level beats too."""

_MOST_GLIDE = 2.0
"""Phase that a glide adds at a window's spread, in radians, beyond which a peak is no longer one."""


@kernel
def _link(starts, hz, loudness, owner, reach_hz):  # type: ignore[no-untyped-def]
    """Give every peak the number of its track; returns how many there are.

    ``loudness`` is the binary logarithm of the level.
    """
    most = 4096
    last_hz, last_loudness = np.zeros(most), np.zeros(most)
    track, missed = np.zeros(most, np.int64), np.zeros(most, np.int64)
    alive = 0
    made = 0
    for t in range(len(starts) - 1):
        first, end = starts[t], starts[t + 1]
        taken = np.zeros(end - first, np.bool_)
        order = np.argsort(-last_loudness[:alive])
        for a in order:
            place = first + np.searchsorted(hz[first:end], last_hz[a])
            reach = max(last_hz[a] * (2.0**_LEAST_OCTAVES - 1.0), reach_hz)
            best, found = 1e9, -1
            for way in (-1, 1):
                at = place - 1 if way == -1 else place
                while first <= at < end and abs(hz[at] - last_hz[a]) <= reach:
                    if not taken[at - first]:
                        far = abs(hz[at] - last_hz[a]) / reach
                        loud = abs(loudness[at] - last_loudness[a]) * 0.15
                        if far + loud < best:
                            best, found = far + loud, at
                    at += way
            if found < 0:
                missed[a] += 1
                continue
            taken[found - first] = True
            owner[found] = track[a]
            last_hz[a], last_loudness[a], missed[a] = hz[found], loudness[found], 0
        kept = 0
        for a in range(alive):
            if missed[a] <= _MISSED:
                last_hz[kept], last_loudness[kept] = last_hz[a], last_loudness[a]
                track[kept], missed[kept] = track[a], missed[a]
                kept += 1
        alive = kept
        for at in range(first, end):
            if not taken[at - first] and alive < most:
                owner[at] = made
                last_hz[alive], last_loudness[alive] = hz[at], loudness[at]
                track[alive], missed[alive] = made, 0
                alive += 1
                made += 1
    return made


def find_tracks(peaks: Peaks, window: int, noise: float) -> list[Track]:
    """The partials of a sound, the noisy ones left out.

    Parameters
    ----------
    window : int
        Frames of the window that the peaks come from.
    noise : float
        0..1: how readily a partial counts as noise.
    """
    owner = np.full(len(peaks.hz), -1, np.int64)
    reach = max(_LEAST_HZ, 0.25 * RATE / window)
    count = _link(peaks.starts, peaks.hz, np.log2(peaks.level), owner, reach)
    moment = np.repeat(np.arange(len(peaks.starts) - 1), np.diff(peaks.starts))
    order = np.argsort(owner, kind="stable")
    ends = np.searchsorted(owner[order], np.arange(count + 1))
    lengths = np.diff(ends)
    shortest = _shortest(window, noise)
    weight = peaks.level**2
    firsts = ends[:-1]
    scatter = np.add.reduceat(np.append((weight * peaks.scatter)[order], 0.0), firsts)
    scatter /= np.maximum(np.add.reduceat(np.append(weight[order], 0.0), firsts), 1e-30)
    long = lengths >= shortest
    good = long & (scatter <= _most_scatter(noise, lengths * HOP / window))
    doubtful = (
        ~good & (lengths * HOP >= _STEADY_WINDOWS * window) & (scatter <= _MOST_STEADY_SCATTER)
    )
    level, half = peaks.level[order], max(1, round(0.25 * window / HOP))
    made = []
    for one in np.flatnonzero(good | doubtful):
        rows = order[ends[one] : ends[one + 1]]
        unsteady = _unsteadiness_db(level, ends[one], ends[one + 1], half)
        if good[one] or unsteady < _most_unsteady_db(noise):
            track = _filled(moment[rows], peaks, rows)
            made.append(_without_glide(track, window) if unsteady < _GLIDING_DB else track)
    return made


def _shortest(window: int, noise: float) -> int:
    """Fewest moments of a partial: noise holds still for as long as the window lasts."""
    return max(4, round((0.3 + 1.0 * noise) * window / HOP))


def _most_scatter(noise: float, windows: NDArray[np.float64]) -> NDArray[np.float64]:
    """Most scatter of a partial that lasts for so many windows; long ones may be rougher."""
    lenient = 0.5 * 10.0 ** (-1.4 * noise)
    return np.asarray(lenient * np.clip(np.sqrt(windows), 1.0, 2.5))


@kernel
def _unsteadiness_db(level, first, last, half):  # type: ignore[no-untyped-def]
    """How far a track's level strays from its mean over ``half`` moments either way, root mean square, by power."""
    sums = np.zeros(last - first + 1)
    for i in range(first, last):
        sums[i - first + 1] = sums[i - first] + 20.0 * math.log10(level[i])
    count = last - first
    strayed = power = 0.0
    for i in range(count):
        low, high = max(i - half, 0), min(i + half + 1, count)
        away = sums[i + 1] - sums[i] - (sums[high] - sums[low]) / (high - low)
        weight = level[first + i] ** 2
        strayed += weight * away * away
        power += weight
    return math.sqrt(strayed / power)


def _most_unsteady_db(noise: float) -> float:
    """Most of it that a partial has; tracks of noise have 0.9 to 2 dB, one in a thousand 0.65."""
    return 0.9 * math.pow(10.0, -0.4 * noise)


def _without_glide(track: Track, window: int) -> Track:
    """A track with the level and phase that its peaks would have without a glide within the window.

    What a linear chirp makes of a peak's level and phase through a Gaussian window: M. Abe and
    J. O. Smith, "AM/FM rate estimation for time-varying sinusoidal modeling", Proc. ICASSP 2005.
    """
    span = max(1, round(0.25 * window / HOP))
    places = np.arange(len(track))
    after, before = np.minimum(places + span, len(track) - 1), np.maximum(places - span, 0)
    slope = (track.hz[after] - track.hz[before]).astype(np.float64) * MOMENTS_S / (after - before)
    glide = np.clip(2.0 * np.pi * slope * spread_s2(window), -_MOST_GLIDE, _MOST_GLIDE)
    level = track.level * (1.0 + glide**2) ** 0.25
    return Track.of(track.first, track.hz, level, track.phase - 0.5 * np.arctan(glide))


def _filled(moments: NDArray[np.int64], peaks: Peaks, rows: NDArray[np.int64]) -> Track:
    """A track with its missed moments filled in."""
    first, last = int(moments[0]), int(moments[-1])
    every = np.arange(first, last + 1)
    hz = np.interp(every, moments, peaks.hz[rows])
    level = np.interp(every, moments, peaks.level[rows])
    phase = np.zeros(len(every))
    phase[moments - first] = peaks.phase[rows]
    missed = np.ones(len(every), np.bool_)
    missed[moments - first] = False
    for gap in np.flatnonzero(missed):
        phase[gap] = phase[gap - 1] + math.pi * (hz[gap - 1] + hz[gap]) / MOMENTS_S
    return Track.of(first, hz, level, phase)


def loudest(tracks: list[Track], most: int, moments: int) -> list[Track]:
    """The tracks with the most energy, so that never more than ``most`` sound at once."""
    sounding = np.zeros(moments + 1, np.int64)
    kept = []
    for track in sorted(tracks, key=lambda one: -one.energy):
        span = sounding[track.first : track.first + len(track)]
        if span.max(initial=0) < most:
            span += 1
            kept.append(track)
    return kept
