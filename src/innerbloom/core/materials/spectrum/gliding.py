"""Partials of a sound whose pitch glides: found where it stands still, and carried back.

A sound that is read at a pace which undoes its pitch contour has steady partials, that neither
scatter nor leave their bins within a window (B. Edler et al., "A time-warped MDCT approach to speech
transform coding", AES Convention 126, 2009).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.materials.spectrum.model import HOP, RATE, Floats, Track
from innerbloom.core.process.warp import Warp, pitch_warp

_GLIDES = 0.3
"""Octaves a second, at half of all moments, from which a pitch has to be followed.

Speech goes at 1 to 2, vibrato of a quarter tone at 0.5.
"""

_HIGHEST_HZ = 0.49 * RATE


def warp_of(mono: Floats) -> Warp | None:
    """The warp that lays the pitch of a sound flat; None where it has none or hardly moves."""
    warp = pitch_warp(mono[:, None], RATE)
    if warp is None:
        return None
    rate = np.abs(np.diff(np.log2(warp.pace))) * RATE / np.diff(warp.frames)
    there = (warp.voiced[1:] > 0.5) & (warp.voiced[:-1] > 0.5)
    return warp if there.any() and float(np.median(rate[there])) > _GLIDES else None


def carried_back(track: Track, warp: Warp, moments: int) -> Track | None:
    """A partial of the warped sound as it runs in the sound; None if it is too short for that.

    Parameters
    ----------
    moments : int
        Of the sound: what the warp says of what comes after is left out.
    """
    warped = (track.first + np.arange(len(track))) * float(HOP)
    frames = np.interp(warped, warp.warped, warp.frames)
    first, last = int(np.ceil(frames[0] / HOP)), min(int(frames[-1] / HOP), moments - 1)
    if last - first < 1:
        return None
    here = np.arange(first, last + 1, dtype=np.float64) * HOP
    place = np.clip(warp.to_warped(here) / HOP - track.first, 0.0, len(track) - 1.0)
    flat, level, phase = _read_at(track, np.asarray(place, np.float64))
    hz = np.asarray(flat * warp.pace_at(here), np.float64)
    level = np.where(hz < _HIGHEST_HZ, level, 0.0)
    hz = np.minimum(hz, _HIGHEST_HZ)
    return Track.of(first, hz, level, phase)


def _read_at(track: Track, place: NDArray[np.float64]) -> tuple[NDArray[np.float64], ...]:
    """Frequency, level and phase between moments; phases lie between those told from both sides."""
    low = np.minimum(np.floor(place).astype(np.int64), len(track) - 2)
    share = place - low
    hz, level = (one[low] + share * (one[low + 1] - one[low]) for one in (track.hz, track.level))
    turn = 2.0 * np.pi * HOP / RATE
    forward = track.phase[low] + turn * share * 0.5 * (track.hz[low] + hz)
    back = track.phase[low + 1] - turn * (1.0 - share) * 0.5 * (hz + track.hz[low + 1])
    apart = np.angle(np.exp(1j * (back - forward).astype(np.float64)))
    return hz, level, forward + share * apart
