"""Where a spectral voice reads: its place, at its pace, around its loop."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import option
from innerbloom.core.dsp.rates import TICK_S
from innerbloom.core.layers.reading import on_path, root_of
from innerbloom.core.layers.shared import PATH
from innerbloom.core.layers.spectral.parameters import SPECTRAL
from innerbloom.core.layers.spectral.room import MOST_READERS
from innerbloom.core.materials.spectrum.model import MOMENTS_S

_SPEED, _PATH = option(SPECTRAL, "motion", "speed"), option(SPECTRAL, "motion", "path")
_LOOPED = option(PATH, "path_end", "looped")
_END, _LOOP = option(SPECTRAL, "at_end", "end"), option(SPECTRAL, "at_end", "loop")


class Moment(NamedTuple):
    """Where a voice is at a tick.

    place : float
        Share of the sound, 0..1.
    seconds : float
        Length of what sounds.
    note, reference : float
        Note number, and semitones of the reference pitch above A4 = 440 Hz.
    key : uint64
        Of its chance.
    """

    place: float
    seconds: float
    note: float
    reference: float
    key: np.uint64


@borrowing
def travel(state, s, seconds, path):
    """A tick on; gives the place as a share of the sound, and whether the sound has ended."""
    base = 0.01 * s.position
    state.age += TICK_S
    if s.motion == _PATH:
        return on_path(path, state.age, s.path_time, s.path_end == _LOOPED), False
    if s.motion != _SPEED:
        return min(max(base + state.travel, 0.0), 1.0), False
    state.travel += state.way * s.speed * TICK_S / seconds
    place = base + state.travel
    if s.at_end >= _LOOP:
        place = _round(state, s, place, seconds)
        state.travel = place - base
        return place, False
    ended = place >= 1.0 if state.way * s.speed > 0.0 else place <= 0.0
    place = min(max(place, 0.0), 1.0)
    state.travel = place - base
    return place, ended and s.at_end == _END


@borrowing
def _loop_of(s, seconds):
    """First and last place of the loop."""
    start = min(0.01 * s.loop_start, 1.0 - 1e-3)
    return start, min(start + max(0.001 * s.loop_length / seconds, 1e-4), 1.0)


@borrowing
def _round(state, s, place, seconds):
    """The place within the loop, once it has been reached."""
    start, end = _loop_of(s, seconds)
    forward = state.way * s.speed >= 0.0
    if s.at_end == _LOOP:
        if (forward and place > end) or (not forward and place < start):
            return start + (place - start) % (end - start)
        return place
    if place > end and forward:
        state.way = -state.way
        return max(2.0 * end - place, start)
    if place < start and not forward:
        state.way = -state.way
        return min(2.0 * start - place, end)
    return place


@borrowing
def _turning(s, state, place, seconds):
    """The other place that a loop turns into here, and its share; the share is 0 elsewhere."""
    if s.motion != _SPEED or s.at_end != _LOOP or s.loop_blend <= 0.0 or s.speed == 0.0:
        return place, 0.0
    start, end = _loop_of(s, seconds)
    length = end - start
    span = 0.01 * s.loop_blend * length
    if state.way * s.speed > 0.0:
        share = (place - (end - span)) / span
        other = place - length
    else:
        share = ((start + span) - place) / span
        other = place + length
    if share <= 0.0 or place > end or place < start:
        return place, 0.0
    return min(max(other, 0.0), 1.0), min(share, 1.0)


@borrowing
def mixed_seconds(weights, sounds, count):
    """Length of what sounds, between those of the sounds it is made of."""
    total = 0.0
    for i in range(count):
        total += weights[i] * sounds[i].seconds
    return total


@borrowing
def put_readers(room, s, state, moment, sounds):
    """Everything that is read at this tick; gives how many.

    The last of ``sounds`` is the noise that bands are made of.
    """
    place = moment.place
    other, share = _turning(s, state, place, moment.seconds)
    made = 0
    for i in range(len(sounds) - 1):
        if room.weights[i] <= 0.0:
            continue
        sound = sounds[i]
        ratio = 2.0 ** ((moment.note - root_of(sound, moment.reference)) / 12.0)
        for way in range(2):
            weight = room.weights[i] * (share if way == 1 else 1.0 - share)
            if weight <= 0.0 or made >= MOST_READERS:
                continue
            reader = room.readers[made]
            reader.sound, reader.ratio, reader.weight = i, ratio, weight
            reader.moment = (other if way == 1 else place) * sound.seconds * MOMENTS_S
            made += 1
    return made
