"""Where a grain starts so that it goes on with the wave that sounds.

Grains that overlap at odds cancel: a steady tone flutters. A start is moved to where the sound is
most like what the grain before reads at the same time (W. Verhelst and M. Roelands, "An overlap-add
technique based on waveform similarity (WSOLA)", ICASSP 1993). Where there is a period, starts come
out whole periods apart, as in E. Moulines and F. Charpentier, "Pitch-synchronous waveform
processing techniques", Speech Communication 9, 1990.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.memory import samples_at
from innerbloom.core.layers.reading import correlation_at

COMPARED = 96
"""Frames that are compared."""

REACH = 64
"""Frames that a start is moved at most, either way."""

_PERIOD = 32.0
"""Frames that a period has at least at the mip level that is compared."""

_UNPITCHED_HZ = 150.0
"""Stands in for a root: starts move by 11 ms at most."""

ALIGN_SCRATCH = [
    ("reference", np.float32, (COMPARED,)),
    ("around", np.float32, (COMPARED + 2 * REACH,)),
    ("likeness", np.float64, (2 * REACH + 1,)),
]


class Match(NamedTuple):
    """How far to move a start in seconds, and the correlation there, 0..1."""

    lag_s: float
    correlation: float


@borrowing
def _compared_level(sound, levels):
    """The emptiest mip level that still has enough frames a period."""
    hz = _UNPITCHED_HZ
    if sound.pitched > 0.5:
        hz = 440.0 * 2.0 ** ((sound.root - 69.0) / 12.0)
    best = 0
    for k in range(len(levels)):
        if levels[k].rate >= _PERIOD * hz:
            best = k
    return best


@borrowing
def _take(into, audio, channels, level, first):
    """Copy frames from ``first`` on as one channel, ends repeated."""
    for i in range(len(into)):
        at = level.offset + min(max(first + i, 0), level.frames - 1)
        sample = audio[at * channels]
        if channels == 2:
            sample += audio[at * channels + 1]
        into[i] = sample


@borrowing
def _correlate(reference, around, likeness):
    """Normalised correlation at every lag."""
    size = len(reference)
    own, energy = 1e-12, 1e-12
    for i in range(size):
        own += reference[i] * reference[i]
        energy += around[i] * around[i]
    for lag in range(len(likeness)):
        product = np.float32(0.0)
        for i in range(size):
            product += reference[i] * around[lag + i]
        likeness[lag] = product / math.sqrt(own * max(energy, 1e-12))
        if lag + size < len(around):
            energy += around[lag + size] ** 2 - around[lag] ** 2


@borrowing
def _peak(likeness):
    """The highest lag, between lags by a parabola."""
    best = 0
    for lag in range(len(likeness)):
        if likeness[lag] > likeness[best]:
            best = lag
    place = np.float64(best)
    if 0 < best < len(likeness) - 1:
        low, high = likeness[best - 1], likeness[best + 1]
        bend = low - 2.0 * likeness[best] + high
        if bend < 0.0:
            place += 0.5 * (low - high) / bend
    return place


@borrowing
def best_match(sound, levels, sounding_s, wanted_s, scratch):
    """Where a grain that wants to read at one place is most like what sounds.

    Parameters
    ----------
    sound : SOUND; levels : MIP_LEVEL array
        What both read, and its mip levels.
    sounding_s, wanted_s : float
        Middle of what is compared, in seconds of the sound.
    scratch : ALIGN_SCRATCH
    """
    level = levels[_compared_level(sound, levels)]
    audio = samples_at(sound.address, sound.samples)
    at = sounding_s * level.rate
    first = np.int64(at) - COMPARED // 2
    _take(scratch.reference, audio, sound.channels, level, first)
    # the same share between frames on both sides, so that lags are whole frames
    wanted = np.int64(math.floor(wanted_s * level.rate - (at - np.int64(at)) + 0.5))
    _take(scratch.around, audio, sound.channels, level, wanted - COMPARED // 2 - REACH)
    _correlate(scratch.reference, scratch.around, scratch.likeness)
    place = _peak(scratch.likeness)
    there = (wanted + place - REACH + (at - np.int64(at))) / level.rate
    half = 0.5 * COMPARED / level.rate
    whole = correlation_at(sound, levels, sounding_s - half, there - half, 2.0 * half)
    return Match(there - wanted_s, min(max(whole, 0.0), 1.0))
