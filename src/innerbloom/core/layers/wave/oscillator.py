"""Reading a wavetable at a run of phases, while the place in the table moves."""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.lanes import weighed_between
from innerbloom.core.dsp.taps import put_taps, read_tap
from innerbloom.core.materials.wavetable.prepared import LEVELS, MOST_HARMONICS, PER_OCTAVE

_FOUR = np.uint64(4)
_MOST = np.uint64(1023)


class Table(NamedTuple):
    """A wavetable: its samples, and the SOUND record that says how they lie."""

    audio: NDArray[np.float32]
    sound: Any


class Motion(NamedTuple):
    """How the phase of a wave moves through a tick.

    step, to_step : float
        Periods a frame at its beginning and end.
    modulation : float64 array, shape (TICK or more,); link : int
        What the layer below sends: radians (LINK_PHASE) or shares of the rate (LINK_RATE).
    """

    step: float
    to_step: float
    modulation: NDArray[np.float64]
    link: int


@borrowing
def level_for(step):
    """The fullest level without aliasing at so many periods a frame."""
    if step <= 0.0:
        return 0
    over = math.log2(2.0 * MOST_HARMONICS * step)
    return min(max(np.int64(math.ceil(PER_OCTAVE * over - 1e-9)), 0), LEVELS - 1)


@borrowing
def add_wave(into, count, phases, table, level, ramp, room):
    """Add the wave that a table gives at a run of phases, as one level has it.

    A pulse is a saw less the same saw a width later.

    Parameters
    ----------
    into : float32 array; phases : float64 array; count : uint64
        Samples, periods, and how many of them.
    table : Table; level : MIP_LEVEL record
        What is read, and which level of it.
    ramp : (gain, slope)
        Gain before the first, and what is added to it each time.
    room : WAVE_SCRATCH record
        Its ``wave`` says where in the table; the rest is reckoned with.
    """
    now, (gain, slope) = room.wave, ramp
    _put_places(phases, count, (0.0, 0.0), table.sound, level.frames, room)
    _add_places(into, count, table, level.offset, ramp, room)
    if now.pulse == 1:
        _put_places(phases, count, (now.width, now.to_width), table.sound, level.frames, room)
        _add_places(into, count, table, level.offset, (-gain, -slope), room)


@borrowing
def _put_places(phases, count, lag, sound, size, room):
    """Samples and spline weights for each phase less a lag, and how far it lies between frames."""
    many, now, (late, later) = np.float64(count), room.wave, lag
    _put_taps(
        phases,
        count,
        late,
        (later - late) / many,
        np.float64(size),
        room.fine_weights,
        room.fine_index,
    )
    if sound.frames > 1:
        _put_frames(
            count,
            now.frame,
            (now.to_frame - now.frame) / many,
            sound,
            room.fine_index,
            room.fine_shares,
        )


@borrowing
def _put_taps(phases, count, late, slope, top, weights, index):
    # a bound on the count tells the compiler that no index wraps, or it would not vectorise
    for i in range(count & _MOST):
        # unsigned numbers become floats one by one only
        phase = phases[i] - late - slope * (np.float64(np.int32(i)) + 1.0)
        place = (phase - np.floor(phase)) * top
        whole = np.int32(place)
        index[i] = whole
        put_taps(weights, i, np.float32(place - whole), np.float32(1.0))


@borrowing
def _put_frames(count, frame, travel, sound, index, shares):
    last = np.float32(sound.frames - 2)
    begin, step = np.float32(frame), np.float32(travel)
    stride = np.int32(sound.stride)
    for i in range(count & _MOST):
        at = begin + step * (np.float32(np.int32(i)) + np.float32(1.0))
        below = np.int32(min(at, last))
        index[i] += below * stride
        shares[i] = at - np.float32(below)


@borrowing
def _add_places(into, count, table, first, ramp, room):
    """Add what the places read, between frames where it lies there, at a gain that moves."""
    audio, sound, (gain, slope) = table.audio, table.sound, ramp
    frame, moved = room.wave.frame, room.wave.to_frame
    weights, index, shares = room.fine_weights, room.fine_index, room.fine_shares
    level, rise = np.float32(gain), np.float32(slope)
    if sound.frames == 1 or (
        frame == moved and frame == math.floor(frame) and frame < sound.frames - 1
    ):
        for i in range(count):
            level += rise
            into[i] += level * read_tap(audio, first, weights, index, i)
        return
    near = np.uint64(first - 1)
    far = near + np.uint64(sound.stride)
    for i in range(count):
        level += rise
        j = np.uint64(index[i])
        into[i] += level * weighed_between(audio, near + j, far + j, shares[i], weights, _FOUR * i)


@borrowing
def read_once(table, level, frame, phase, room):
    """One sample of a table at one phase; the last places of ``room`` are used."""
    audio, sound, first, size = table.audio, table.sound, level.offset, level.frames
    weights, index = room.fine_weights, room.fine_index
    place = (phase - math.floor(phase)) * size
    whole = np.int32(place)
    below = np.int64(min(frame, np.float64(max(sound.frames - 2, 0))))
    at = np.uint64(len(index) - 1)
    index[at] = whole
    put_taps(weights, at, np.float32(place - whole), np.float32(1.0))
    near = read_tap(audio, first + below * sound.stride, weights, index, at)
    if sound.frames == 1:
        return near
    far = read_tap(audio, first + (below + 1) * sound.stride, weights, index, at)
    return near + np.float32(frame - below) * (far - near)
