"""Source of the *spectral* layer: the spectra of sounds, read at any pace, shaped, and played."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.engine.kernels.chance import chance_key
from innerbloom.core.engine.kernels.reading import RATE, end_part, played_note
from innerbloom.core.engine.kernels.spectral_reading import (
    gather,
    mixed_seconds,
    put_readers,
    travel,
)
from innerbloom.core.engine.kernels.spectral_room import STRIKES_AT_ONCE
from innerbloom.core.engine.kernels.spectral_shape import (
    bend,
    blur,
    colour,
    put_on_outline,
    thin,
)
from innerbloom.core.engine.kernels.spectral_sound import (
    begin_noise,
    begin_strikes,
    sound_noise,
    sound_partials,
    sound_strikes,
)
from innerbloom.core.engine.state import TICK
from innerbloom.core.instrument.parameters import option
from innerbloom.core.instrument.spectral_parameters import SPECTRAL
from innerbloom.core.materials.spectrum.bands import BANDS
from innerbloom.core.materials.spectrum.path import put_shares

_KEPT = option(SPECTRAL, "formants", "kept")
_TURN = 1.0 / (2.0 * math.pi)


@borrowing
def _begin(state, voice, s, key):
    state.serial = voice.serial
    state.begun = 0
    state.age = state.travel = 0.0
    state.way = 1.0
    state.place = 0.01 * s.position
    for p in range(len(state.phase)):
        state.left[p] = state.right[p] = np.float32(0.0)
        state.turned[p] = 0.0
    for j in range(STRIKES_AT_ONCE):
        state.strikes[j].left = 0
    begin_noise(state, key)


@borrowing
def _is_outlined(s, weights, count, ratio):
    """Whether partials leave their own outline: in a morph, or where formants go their own way."""
    if s.formant_shift != 0.0 or (s.formants == _KEPT and ratio != 1.0):
        return True
    sounding = 0
    for i in range(count):
        if weights[i] > 0.0:
            sounding += 1
    return sounding > 1


@borrowing
def _put_shift(room, moved, turns, hz):
    """What another layer adds to the phase of the root through a tick; gives what stays of it."""
    if turns == 1:
        for i in range(TICK):
            room.shift[i] = np.float32(moved[i] * _TURN)
        return 0.0
    total = 0.0
    for i in range(TICK):
        total += moved[i] * hz / RATE
        room.shift[i] = np.float32(total)
    return total


@borrowing
def _find(room, s, state, place, seconds, note, retune, sounds, count, copies, drawn, key):
    """The spectrum of a tick, shaped; gives how many partials it may have."""
    readers = put_readers(room, s, state, place, seconds, note, retune, sounds, count)
    outlined = _is_outlined(s, room.weights, count, room.readers[0].ratio)
    intended, width = gather(room, s, readers, sounds, copies, outlined)
    if outlined:
        put_on_outline(room, s, readers, width, intended)
    root_hz = 440.0 * 2.0 ** ((note + retune - 69.0) / 12.0)
    thin(room, s, width)
    blur(room.power, room.spare, width, 0.01 * s.blur_frequency)
    blur(room.noise, room.spare, BANDS, 0.01 * s.blur_frequency)
    colour(room, s, width, root_hz, sounds[0].pitched > 0.5, drawn)
    bend(room, s, width, root_hz, key)
    return width


@borrowing
def _advance_moved(state, room, stays, width):
    """Phases go on from where a moved rate has brought them."""
    for p in range(width):
        state.phase[p] += stays * room.hz[p] / max(room.hz[0], 1.0)


@borrowing
def _fall_silent(room):
    """Partials and noise fall off within the tick; a strike that sounds goes on while it may."""
    room.power[:] = 0.0
    room.noise[:] = 0.0


@borrowing
def _silence(signal, at):
    for i in range(2 * at, 2 * at + 2 * TICK):
        signal[i] = np.float32(0.0)


@borrowing
def _swap(state, room, count):
    """Put what partials remember aside, or bring it back."""
    for p in range(count):
        room.phase[p], state.phase[p] = state.phase[p], room.phase[p]
        room.turned[p], state.turned[p] = state.turned[p], room.turned[p]
        room.old_hz[p], state.hz[p] = state.hz[p], room.old_hz[p]
        room.left[p], state.left[p] = state.left[p], room.left[p]
        room.right[p], state.right[p] = state.right[p], room.right[p]


@borrowing
def _copy(state, room, count):
    for p in range(count):
        room.phase[p], room.turned[p] = state.phase[p], state.turned[p]
        room.old_hz[p] = state.hz[p]
        room.left[p], room.right[p] = state.left[p], state.right[p]


@borrowing
def _sound_still(still, out, at, state, room, s, width, key):
    """The same tick as it would be unmoved, after what is never moved; nothing is remembered of it."""
    for i in range(2 * at, 2 * at + 2 * TICK):
        still[i] = out[i]
    count = len(state.phase)
    _copy(state, room, count)
    sound_partials(still, at, state, room, s, width, key, False)
    _swap(state, room, count)


@borrowing
def render_spectral(
    first, step, out, still, moved, turns, hold, voices, parts, chosen, own, now, pitches,
    sounds, copies, path, seed, layer, retune, scratch,
):  # fmt: skip
    """Fill the signals of a spectral layer for some of the voices; see :mod:`.sources`.

    The last of ``sounds`` is the noise that bands are made of; the second half of ``path`` is the
    drawn filter.
    """
    room = scratch[first].spectral
    count = len(sounds) - 1
    half = len(path) // 2
    course, drawn = path[:half], path[half:]
    for v in range(first, len(voices), step):
        part, voice, state = parts[v], voices[v], own[v]
        if part.ticks == 0:
            continue
        key = chance_key(np.uint64(seed), voice.serial, np.uint64(layer))
        if state.serial != voice.serial:
            _begin(state, voice, now[v, 0], key)
        for tick in range(part.ticks):
            s, at = now[v, tick], tick * TICK
            _silence(out[v], at)
            put_shares(room.weights, count, 0.01 * s.morph, 0.01 * s.morph_amount)
            seconds = mixed_seconds(room.weights, sounds, count)
            place, ended = travel(state, s, seconds, course)
            if ended:
                end_part(part, tick)
            note = played_note(s, pitches[v, tick])
            width = _find(room, s, state, place, seconds, note, retune, sounds, count, copies, drawn,
                          key)  # fmt: skip
            if ended:
                _fall_silent(room)
            sound_noise(out[v], at, state, room, s, sounds[count])
            begin_strikes(state, s, room, place, state.place, state.begun == 0, sounds, copies, count)
            sound_strikes(out[v], at, state, sounds)
            if hold:
                _sound_still(still[v], out[v], at, state, room, s, width, key)
            stays = _put_shift(room, moved[v, at:], turns, room.hz[0]) if turns > 0 else 0.0
            sound_partials(out[v], at, state, room, s, width, key, turns > 0)
            if turns == 2:
                _advance_moved(state, room, stays, width)
            state.begun = 1
            state.place = place
            part.position = place
        part.sound = _heaviest(room.weights, count)


@borrowing
def _heaviest(weights, count):
    found = 0
    for i in range(count):
        if weights[i] > weights[found]:
            found = i
    return found
