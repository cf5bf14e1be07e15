"""Partials laid out so that each has a place of its own, the same in every spectrum.

A place stands for a multiple of the root, or for a stretch of frequencies, so that what morphs
finds
its like at the same place.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.spectrum_settings import MOST_PARTIALS
from innerbloom.core.materials.spectrum.model import MOMENTS_S, Floats, Spectrum, Track

SLOTS = MOST_PARTIALS
_LOWEST_HZ, _HIGHEST_HZ = 30.0, 18_000.0
_EVEN_UP_TO = 64.0
_LEAST_GAP = 2
"""Moments of silence between two partials in one place."""


@dataclass(frozen=True)
class Laid:
    """Partials by place.

    Attributes
    ----------
    hz, level, phase : ndarray of float32, shape (moments, places)
        Where nothing sounds the level is 0, and the frequency that of the nearest partial there.
    side : ndarray of complex64, shape (moments, places)
        Over the mid; without rows where the spectrum has no side.
    """

    hz: Floats
    level: Floats
    phase: Floats
    side: NDArray[np.complex64]


def by_root(root_hz: float) -> NDArray[np.float64]:
    """Middle frequency of each place: multiples of a root, wider apart above the 64th."""
    count = np.arange(1, SLOTS + 1, dtype=np.float64)
    far = np.maximum(count - _EVEN_UP_TO, 0.0) / (SLOTS - _EVEN_UP_TO)
    return np.asarray(root_hz * np.minimum(count, _EVEN_UP_TO) * 4.0**far)


def by_frequency() -> NDArray[np.float64]:
    """Middle frequency of each place: even in log frequency."""
    return np.geomspace(_LOWEST_HZ, _HIGHEST_HZ, SLOTS)


def laid_out(spectrum: Spectrum, places: NDArray[np.float64]) -> Laid:
    """Give every partial a place near its frequency; the loudest choose first.

    Parameters
    ----------
    places : ndarray, shape (SLOTS,)
        Middle frequencies, rising.
    """
    moments = spectrum.moments
    busy = np.zeros((SLOTS, moments + 2 * _LEAST_GAP), np.bool_)
    held: list[list[Track]] = [[] for _ in range(SLOTS)]
    for track in sorted(spectrum.tracks, key=lambda one: -one.energy):
        span = slice(track.first, track.first + len(track) + 2 * _LEAST_GAP)
        wanted = int(np.argmin(np.abs(np.log(places / track.centre_hz))))
        free = np.flatnonzero(~busy[:, span].any(axis=1))
        if not len(free):
            continue
        chosen = int(free[np.argmin(np.abs(free - wanted))])
        busy[chosen, track.first + _LEAST_GAP : track.first + len(track) + _LEAST_GAP] = True
        held[chosen].append(track)
    used = 1 + max((at for at, tracks in enumerate(held) if tracks), default=-1)
    return _filled(held[:used], places, moments, spectrum.side_noise is not None)


def _filled(
    held: list[list[Track]], places: NDArray[np.float64], moments: int, stereo: bool
) -> Laid:
    shape = (moments, len(held))
    hz, level, phase = (np.zeros(shape, np.float32) for _ in range(3))
    side = np.zeros((moments if stereo else 0, len(held)), np.complex64)
    for at, tracks in enumerate(held):
        tracks = sorted(tracks, key=lambda one: one.first)
        known_at = [0.0] if not tracks else []
        known_hz = [float(places[at])] if not tracks else []
        for track in tracks:
            # the last moment of a sound may lie one behind the last moment of its noise
            end = min(track.first + len(track), moments)
            rows, count = slice(track.first, end), end - track.first
            hz[rows, at] = track.hz[:count]
            level[rows, at] = track.level[:count]
            phase[rows, at] = track.phase[:count]
            if stereo and track.side is not None:
                side[rows, at] = track.side[:count]
                # levels rise and fall through the moments beside it
                side[max(0, track.first - 1) : track.first, at] = track.side[0]
                side[end : end + 1, at] = track.side[count - 1]
            _lead_in(hz, phase, track, at)
            known_at += [track.first, end - 1]
            known_hz += [float(track.hz[0]), float(track.hz[count - 1])]
        empty = np.flatnonzero(hz[:, at] == 0.0)
        if len(empty):
            nearest = np.abs(np.subtract.outer(empty, np.array(known_at))).argmin(axis=1)
            hz[empty, at] = np.array(known_hz)[nearest]
    return Laid(hz, level, phase, side)


def _lead_in(hz: Floats, phase: Floats, track: Track, at: int) -> None:
    """Phase of the moment before a partial is born, from which its level rises."""
    before = track.first - 1
    if before >= 0 and hz[before, at] == 0.0:
        phase[before, at] = track.phase[0] - 2.0 * np.pi * track.hz[0] / MOMENTS_S
