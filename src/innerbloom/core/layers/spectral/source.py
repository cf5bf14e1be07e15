"""Source of the *spectral* layer: the spectra of sounds, read at any pace, shaped, and played."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing, inlined
from innerbloom.core.dsp.chance import chance_key
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.layers.kind import LINK_PHASE, LINK_RATE
from innerbloom.core.layers.reading import end_layer_voice, played_note
from innerbloom.core.layers.spectral.band_balance import balance_bands
from innerbloom.core.layers.spectral.gathering import gather
from innerbloom.core.layers.spectral.level_overlap import overlap_gain
from innerbloom.core.layers.spectral.loudness import hold_loudness
from innerbloom.core.layers.spectral.noise import (
    add_noise,
    begin_levels,
    begin_noise,
    begin_prefetching,
    make_noise,
    put_band_levels,
)
from innerbloom.core.layers.spectral.outline import is_outlined, put_on_outline
from innerbloom.core.layers.spectral.partials import sound_partials
from innerbloom.core.layers.spectral.reading import Moment, mixed_seconds, put_readers, travel
from innerbloom.core.layers.spectral.room import TRANSIENTS_AT_ONCE
from innerbloom.core.layers.spectral.shape import bend, blur, colour, thin
from innerbloom.core.layers.spectral.transients import begin_transients, sound_transients
from innerbloom.core.materials.spectrum.bands import BANDS
from innerbloom.core.materials.spectrum.path import put_shares

_TURN = 1.0 / (2.0 * math.pi)


@borrowing
def _begin(state, voice, s, key):
    state.serial = voice.serial
    state.begun = state.width = state.wide = 0
    state.age = state.travel = 0.0
    state.way = 1.0
    state.place = 0.01 * s.position
    for p in range(len(state.phase)):
        state.left[p] = state.right[p] = state.sine[p] = np.float32(0.0)
        state.turned[p] = 0.0
    for j in range(TRANSIENTS_AT_ONCE):
        state.transients[j].left = 0
    begin_noise(state, key)


@borrowing
def _put_shift(room, modulation, link, hz):
    """What another layer adds to the phase of the root through a tick; gives what stays of it."""
    if link == LINK_PHASE:
        for i in range(TICK):
            room.shift[i] = np.float32(modulation[i] * _TURN)
        return 0.0
    total = 0.0
    for i in range(TICK):
        total += modulation[i] * hz / RATE
        room.shift[i] = np.float32(total)
    return total


@borrowing
def _find(room, s, state, moment, played):
    """The spectrum of a tick, shaped; gives how many partials it may have."""
    sounds = played.sounds
    readers = put_readers(room, s, state, moment, sounds)
    outlined = is_outlined(s, room.weights, len(sounds) - 1, room.readers[0].ratio)
    intended, width = gather(room, s, state, readers, played, outlined)
    if outlined:
        put_on_outline(room, s, readers, width, intended)
        if room.balanced > 0:
            balance_bands(room, width)
            raised = overlap_gain(s, room.weights, played.level_overlap, len(sounds) - 1)
            hold_loudness(room, width, raised)
    root_hz = 440.0 * 2.0 ** ((moment.note + moment.reference - 69.0) / 12.0)
    thin(room, s, width)
    blur(room.power, room.spare, width, 0.01 * s.blur_frequency)
    blur(room.noise, room.spare, BANDS, 0.01 * s.blur_frequency)
    colour(room, s, width, root_hz, sounds[0].pitched > 0.5, played.drawn_filter)
    bend(room, s, width, root_hz, moment.key)
    return width


@borrowing
def _advance_moved(state, room, stays, width):
    """Phases go on from where a moved rate has brought them."""
    for p in range(width):
        state.phase[p] += stays * room.hz[p] / max(room.hz[0], 1.0)


@borrowing
def _fall_silent(room):
    """Partials and noise fall off within the tick; a transient that sounds goes on while it may."""
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
        room.sine[p], state.sine[p] = state.sine[p], room.sine[p]


@borrowing
def _copy(state, room, count):
    for p in range(count):
        room.phase[p], room.turned[p] = state.phase[p], state.turned[p]
        room.old_hz[p] = state.hz[p]
        room.left[p], room.right[p] = state.left[p], state.right[p]
        room.sine[p] = state.sine[p]


@inlined
def _sound_unmodulated(signals, v, at, state, room, s, width, key):
    """The same tick as it would be unmodulated, after what is never moved.

    Nothing is remembered of it.
    """
    unmodulated, out = signals.unmodulated[v], signals.out[v]
    for i in range(2 * at, 2 * at + 2 * TICK):
        unmodulated[i] = out[i]
    count = len(state.phase)
    _copy(state, room, count)
    sound_partials(unmodulated, at, state, room, s, width, key, False)
    _swap(state, room, count)


@inlined
def _sound_modulated(signals, v, at, state, room, s, width, key):
    """A tick of the partials, moved by the layer below."""
    link, stays = signals.link, 0.0
    if link > 0:
        stays = _put_shift(room, signals.modulation[v, at:], link, room.hz[0])
    sound_partials(signals.out[v], at, state, room, s, width, key, link > 0)
    if link == LINK_RATE:
        _advance_moved(state, room, stays, width)


@borrowing
def render_spectral(span, voices, layer, played, signals, scratch):
    """Fill the signals of a spectral layer for some of the voices; see :class:`.LayerKind`.

    The last of the sounds is the noise that bands are made of.
    """
    room, sounds = scratch[span.first], played.sounds
    count = len(sounds) - 1
    for v in range(span.first, len(voices.records), span.step):
        layer_voice, voice, state = layer.voices[v], voices.records[v], layer.own[v]
        if layer_voice.ticks == 0:
            continue
        key = chance_key(span.seed, voice.serial, np.uint64(layer.number))
        if state.serial != voice.serial:
            _begin(state, voice, layer.settings[v, 0], key)
        out, ticks = signals.out[v], layer_voice.ticks
        begin_levels(state, room)
        begin_prefetching(ticks, state, room, sounds[count])
        for tick in range(ticks):
            s, at = layer.settings[v, tick], tick * TICK
            _silence(out, at)
            put_shares(room.weights, count, 0.01 * s.morph, 0.01 * s.morph_amount)
            seconds = mixed_seconds(room.weights, sounds, count)
            place, ended = travel(state, s, seconds, played.path)
            note = played_note(s, voices.pitches[v, tick])
            moment = Moment(place, seconds, note, span.reference[tick], key)
            width = _find(room, s, state, moment, played)
            if ended:
                end_layer_voice(layer_voice, tick)
                _fall_silent(room)
            put_band_levels(room, s, tick)
            begin_transients(state, s, room, place, played)
            sound_transients(out, at, state, s, sounds)
            if signals.hold:
                _sound_unmodulated(signals, v, at, state, room, s, width, key)
            _sound_modulated(signals, v, at, state, room, s, width, key)
            state.begun, state.width, state.wide = 1, width, room.placed > 0.0
            state.place = place
            layer_voice.position = place
        make_noise(ticks, state, room, sounds[count])
        add_noise(out, ticks, room)
        if signals.hold:
            add_noise(signals.unmodulated[v], ticks, room)
        layer_voice.sound = _heaviest(room.weights, count)


@borrowing
def _heaviest(weights, count):
    found = 0
    for i in range(count):
        if weights[i] > weights[found]:
            found = i
    return found
