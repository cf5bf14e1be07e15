"""Partials of a spectrum become sound: a bank of cosines.

Cosines are added up, their frequencies and levels moving straight through a tick, so that nothing
depends on how time is cut up; an inverse FFT would be cheaper for many (X. Rodet and P. Depalle,
"Spectral envelopes and inverse FFT synthesis", AES 93, 1992) but holds its frames still.
"""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing, inlined
from innerbloom.core.declare.spectrum_settings import MOST_PARTIALS
from innerbloom.core.dsp.cosine import cosine, fine_cosine
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.dsp.vectors import (
    LANES,
    MOST_BENT,
    add_partials,
    add_wide_partials,
)
from innerbloom.core.layers.spectral.noise import prefetch_some
from innerbloom.core.layers.spectral.room import SILENT
from innerbloom.core.layers.spectral.shape import scattered_phase

_FRAMES = np.uint64(TICK)
_TICK, _ONE, _QUARTER = (np.float32(one) for one in (TICK, 1.0, 0.25))
_turns = 0.6180339887498949 * np.arange(MOST_PARTIALS)
_PANS = 2.0 * (_turns - np.floor(_turns)) - 1.0
_PANS[0] = 0.0
_PANS = _PANS.astype(np.float32)
"""Places of partials, -1..1: neighbours far apart, the root in the middle."""


@borrowing
def sound_partials(out, at, state, room, s, width, key, moved):
    """Add a tick of all partials to interleaved stereo frames; where ``moved``, by room.shift."""
    for i in range(TICK):
        room.out_left[i] = room.out_right[i] = np.float32(0.0)
    live = max(width, state.width)
    if room.placed > 0.0:
        _put_wide_levels(room, 0.01 * s.spread * (1.0 - room.placed), width)
    else:
        _put_levels(room, 0.01 * s.spread, width)
    for p in range(width, live):
        room.to_left[p] = room.to_right[p] = room.to_sine[p] = np.float32(0.0)
    _begin_partials(state, room, s, width, key)
    _put_turns(state, room, width, live)
    count, others = _put_sounding(state, room, live, moved)
    if room.placed > 0.0 or state.wide:
        _add_wide(state, room, count)
    else:
        _add_plain(state, room, count)
    if others:
        _add_one_by_one(state, room, live, moved)
    _advance(state, room, width, live)
    first = np.uint64(2 * at)
    # apart they are made twice as fast
    for i in range(_FRAMES):
        out[first + np.uint64(2) * i] += room.out_left[i]
        out[first + np.uint64(2) * i + np.uint64(1)] += room.out_right[i]


@borrowing
def _put_levels(room, spread, width):
    """Left and right level of each partial, by shares of its power: no place is louder."""
    for p in range(width):
        power = np.float32(0.5 * room.power[p])
        aside = power * np.float32(spread) * _PANS[p]
        room.to_left[p] = np.sqrt(power - aside)
        room.to_right[p] = np.sqrt(power + aside)
        room.to_sine[p] = np.float32(0.0)


@borrowing
def _put_wide_levels(room, spread, width):
    """The same with the side of each partial as it was recorded, for as much as is placed so.

    Left is the mid and its side, right the mid less its side, and the side has a cosine and a sine.
    """
    for p in range(width):
        pan = np.float32(spread) * _PANS[p]
        # what a pan of so much has of a side
        aside = np.float32(room.in_phase[p]) - pan / (_ONE + np.sqrt(_ONE - pan * pan))
        across = np.float32(room.quadrature[p])
        mid = np.sqrt(np.float32(0.5 * room.power[p]) / (_ONE + aside * aside + across * across))
        room.to_left[p], room.to_right[p] = mid * (_ONE + aside), mid * (_ONE - aside)
        room.to_sine[p] = -mid * across


@borrowing
def _begin_partials(state, room, s, width, key):
    """Phases of those that are born, and what is added to phases."""
    scatter = 0.01 * s.phases
    for p in range(width):
        room.turn[p] = scatter * scattered_phase(key, np.uint64(p)) if scatter > 0.0 else 0.0
    for p in range(width):
        # everything is read before it is chosen from, which compilers can do side by side
        born = state.left[p] + state.right[p] < SILENT
        turn, hz, begin = room.turn[p], room.hz[p], room.start[p] + room.turn[p]
        phase, old_hz, turned = state.phase[p], state.hz[p], state.turned[p]
        state.phase[p] = begin if born else phase
        old_hz, turned = (hz, turn) if born else (old_hz, turned)
        state.hz[p], state.turned[p] = old_hz, turn
        room.step[p] = np.float32(old_hz / RATE + (turn - turned) / TICK)
        room.bent[p] = np.float32((hz - old_hz) * (0.5 / (RATE * TICK)))


@borrowing
def _put_turns(state, room, width, live):
    """How far each turns in a frame, where none is heard any longer, and in a vector of frames."""
    for p in range(width, live):
        room.step[p] = np.float32(state.hz[p] / RATE)
        room.bent[p] = np.float32(0.0)
    for p in range(live):
        far = LANES * (np.float64(room.step[p]) + np.float64(room.bent[p]) * TICK)
        room.far_cosine[p] = np.float32(fine_cosine(far))
        room.far_sine[p] = np.float32(fine_cosine(far - 0.25))


@inlined
def _levels(state, room, p):
    """Level to the left and change a frame, the same to the right."""
    left, right = state.left[p], state.right[p]
    return left, (room.to_left[p] - left) / _TICK, right, (room.to_right[p] - right) / _TICK


@inlined
def _wide_levels(state, room, p):
    """The same, and that of the sine."""
    sine = state.sine[p]
    return (*_levels(state, room, p), sine, (room.to_sine[p] - sine) / _TICK)


@inlined
def _turn(state, room, p):
    """What :func:`.add_partials` asks for."""
    step, bent = room.step[p], room.bent[p]
    start = np.float32(state.phase[p])
    return start, step + bent * _TICK, bent, room.far_cosine[p], room.far_sine[p]


@inlined
def _plain(state, room, k):
    """One of those that sound, as :func:`.add_partials` asks for it."""
    p = room.sounding[k]
    return _turn(state, room, p), _levels(state, room, p)


@inlined
def _wide(state, room, k):
    """The same as :func:`.add_wide_partials` asks for it."""
    p = room.sounding[k]
    return _turn(state, room, p), _wide_levels(state, room, p)


@borrowing
def _put_sounding(state, room, live, moved):
    """List those that sound, but for those that are added one by one: which those are, is marked.

    Gives how many are listed, and whether there are others.
    """
    heard = other = 0
    for p in range(live):
        level = state.left[p] + state.right[p] + room.to_left[p] + room.to_right[p]
        sounds = np.int32(level >= SILENT)
        steady = np.int32(abs(room.bent[p]) <= MOST_BENT)
        room.alone[p] = sounds * (1 if moved else 1 - steady)
        room.abreast[p] = sounds - room.alone[p]
        other += room.alone[p]
    for p in range(live):
        # written in any case, and over again where it does not sound: nothing to be guessed
        room.sounding[heard] = p
        heard += room.abreast[p]
    return heard, other > 0


@borrowing
def _add_plain(state, room, count):
    """Add those that are listed, two at a time."""
    left, right = room.out_left, room.out_right
    for k in range(0, count - 1, 2):
        add_partials(left, right, (_plain(state, room, k), _plain(state, room, k + 1)))
        prefetch_some(room.prefetch)
    if count % 2 == 1:
        add_partials(left, right, (_plain(state, room, count - 1),))


@borrowing
def _add_wide(state, room, count):
    """The same where sides differ in phase."""
    left, right = room.out_left, room.out_right
    for k in range(0, count - 1, 2):
        add_wide_partials(left, right, (_wide(state, room, k), _wide(state, room, k + 1)))
        prefetch_some(room.prefetch)
    if count % 2 == 1:
        add_wide_partials(left, right, (_wide(state, room, count - 1),))


@borrowing
def _add_one_by_one(state, room, live, moved):
    """Add those whose pitch moves fast, and all where another layer moves their phases, each by as
    much as its pitch.
    """
    root_hz = max(room.hz[0], 1.0)
    for p in range(live):
        if room.alone[p] == 0:
            continue
        ratio = np.float32(room.hz[p] / root_hz if moved else 0.0)
        if state.sine[p] != 0.0 or room.to_sine[p] != 0.0:
            _add_wide_shifted(state, room, p, ratio)
        else:
            _add_shifted(state, room, p, ratio)


@borrowing
def _add_shifted(state, room, p, ratio):
    """A partial at any pace, its phase moved by ``ratio`` times room.shift."""
    start, step, bent = np.float32(state.phase[p]), room.step[p], room.bent[p]
    left, slope_l, right, slope_r = _levels(state, room, p)
    for i in range(_FRAMES):
        # unsigned numbers become floats one by one only
        n = np.float32(np.int32(i)) + _ONE
        value = cosine(start + n * (step + bent * n) + ratio * room.shift[i])
        room.out_left[i] += (left + slope_l * n) * value
        room.out_right[i] += (right + slope_r * n) * value


@borrowing
def _add_wide_shifted(state, room, p, ratio):
    """The same where its sides differ in phase."""
    start, step, bent = np.float32(state.phase[p]), room.step[p], room.bent[p]
    left, slope_l, right, slope_r, sine, slope_s = _wide_levels(state, room, p)
    for i in range(_FRAMES):
        n = np.float32(np.int32(i)) + _ONE
        phase = start + n * (step + bent * n) + ratio * room.shift[i]
        value, turned = cosine(phase), (sine + slope_s * n) * cosine(phase - _QUARTER)
        room.out_left[i] += (left + slope_l * n) * value + turned
        room.out_right[i] += (right + slope_r * n) * value - turned


@borrowing
def _advance(state, room, width, live):
    for p in range(live):
        end = state.phase[p] + TICK * (room.step[p] + np.float64(room.bent[p]) * TICK)
        state.phase[p] = end - np.floor(end)
        state.left[p], state.right[p] = room.to_left[p], room.to_right[p]
        state.sine[p] = room.to_sine[p]
    for p in range(width):
        state.hz[p] = room.hz[p]
