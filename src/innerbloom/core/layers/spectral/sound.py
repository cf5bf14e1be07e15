"""A spectrum becomes sound: a bank of cosines, noise by bands, strikes as they were.

Cosines are added up one by one, their frequencies and levels moving straight through a tick, so
that nothing depends on how time is cut up; an inverse FFT would be cheaper for many (X. Rodet and
P. Depalle, "Spectral envelopes and inverse FFT synthesis", AES 93, 1992) but holds its frames
still.
"""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.spectrum_settings import MOST_PARTIALS
from innerbloom.core.dsp.chance import uniform
from innerbloom.core.dsp.cosine import cosine, fine_cosine
from innerbloom.core.dsp.memory import samples_at
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.dsp.vectors import (
    LANES,
    MOST_BENT,
    add_partial,
    add_ramp,
    add_wide_partial,
)
from innerbloom.core.layers.spectral.parameters import QUIETEST_DB
from innerbloom.core.layers.spectral.room import SILENT, TRANSIENTS_AT_ONCE
from innerbloom.core.layers.spectral.shape import scattered_phase
from innerbloom.core.materials.spectrum.bands import BANDS
from innerbloom.core.materials.spectrum.noise import GRID, GROUP, GROUPS, group_spans
from innerbloom.core.materials.spectrum.prepared import SAMPLES, TRANSIENTS

_FRAMES = np.uint64(TICK)
assert GRID == TICK
_TICK, _ONE, _QUARTER = np.float32(TICK), np.float32(1.0), np.float32(0.25)
_SPANS = group_spans()
_SEEKS = np.uint64(8_192)
_FARTHEST_S = 0.08
"""A place that moves farther in a tick has jumped, and transients between are not heard."""

_HALF = math.sqrt(0.5)
_turns = 0.6180339887498949 * np.arange(MOST_PARTIALS)
_PANS = 2.0 * (_turns - np.floor(_turns)) - 1.0
_PANS[0] = 0.0
_PANS = _PANS.astype(np.float32)
"""Places of partials, -1..1: neighbours far apart, the root in the middle."""


@borrowing
def sound_partials(out, at, state, room, s, width, key, moved):
    """Add a tick of all partials to interleaved stereo frames; where ``moved``, by room.shift."""
    _clear(room)
    if room.placed > 0.0:
        _put_wide_levels(room, 0.01 * s.spread * (1.0 - room.placed), width)
    else:
        _put_levels(room, 0.01 * s.spread, width)
    _begin_partials(state, room, s, width, key)
    root_hz = max(room.hz[0], 1.0)
    for p in range(len(state.phase)):
        left, right = state.left[p], state.right[p]
        to_left, to_right = room.to_left[p], room.to_right[p]
        sine, to_sine = state.sine[p], room.to_sine[p]
        state.left[p], state.right[p], state.sine[p] = to_left, to_right, to_sine
        if left + right + to_left + to_right < SILENT:
            continue
        start, step, bent = np.float32(state.phase[p]), room.step[p], room.bent[p]
        levels = (left, (to_left - left) / _TICK, right, (to_right - right) / _TICK)
        ratio = np.float32(room.hz[p] / root_hz if moved else 0.0)
        if sine != 0.0 or to_sine != 0.0:
            quadrature = (sine, (to_sine - sine) / _TICK)
            if moved or abs(bent) > MOST_BENT:
                _add_wide(room, (start, step, bent), (*levels, *quadrature), ratio)
            else:
                turn = (start, step + bent * _TICK, bent, room.far_cosine[p], room.far_sine[p])
                add_wide_partial(room.out_left, room.out_right, turn, (*levels, *quadrature))
        elif moved:
            _add_moved(room, (start, step, bent), levels, ratio)
        elif abs(bent) > MOST_BENT:
            _add_bent(room, (start, step, bent), levels)
        else:
            turn = (start, step + bent * _TICK, bent, room.far_cosine[p], room.far_sine[p])
            add_partial(room.out_left, room.out_right, turn, levels)
    _advance(state, room, width)
    _interleave(out, at, room)


@borrowing
def _put_levels(room, spread, width):
    """Left and right level of each partial, by shares of its power: no place is louder."""
    for p in range(width):
        power = np.float32(0.5 * room.power[p])
        aside = power * np.float32(spread) * _PANS[p]
        room.to_left[p] = np.sqrt(power - aside)
        room.to_right[p] = np.sqrt(power + aside)
        room.to_sine[p] = np.float32(0.0)
    _put_silence(room, width)


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
    _put_silence(room, width)


@borrowing
def _put_silence(room, width):
    """No level from the partial ``width`` on."""
    for p in range(width, len(room.to_left)):
        room.to_left[p] = room.to_right[p] = room.to_sine[p] = np.float32(0.0)


@borrowing
def _begin_partials(state, room, s, width, key):
    """Phases of those that are born, and how far each turns in a frame and bends on the way."""
    scatter = 0.01 * s.phases
    for p in range(width):
        turned = scatter * scattered_phase(key, np.uint64(p)) if scatter > 0.0 else 0.0
        if state.left[p] + state.right[p] < SILENT:
            state.phase[p] = room.start[p] + turned
            state.hz[p] = room.hz[p]
            state.turned[p] = turned
        room.step[p] = np.float32(state.hz[p] / RATE + (turned - state.turned[p]) / TICK)
        room.bent[p] = np.float32((room.hz[p] - state.hz[p]) * (0.5 / (RATE * TICK)))
        state.turned[p] = turned
    for p in range(width, len(state.phase)):
        room.step[p] = np.float32(state.hz[p] / RATE)
        room.bent[p] = np.float32(0.0)
    for p in range(len(state.phase)):
        far = LANES * (np.float64(room.step[p]) + np.float64(room.bent[p]) * TICK)
        room.far_cosine[p] = np.float32(fine_cosine(far))
        room.far_sine[p] = np.float32(fine_cosine(far - 0.25))


@borrowing
def _advance(state, room, width):
    for p in range(len(state.phase)):
        end = state.phase[p] + TICK * (room.step[p] + np.float64(room.bent[p]) * TICK)
        state.phase[p] = end - np.floor(end)
    for p in range(width):
        state.hz[p] = room.hz[p]


@borrowing
def _clear(room):
    for i in range(TICK):
        room.out_left[i] = room.out_right[i] = np.float32(0.0)


@borrowing
def _interleave(out, at, room):
    """Add left and right to stereo frames; apart they are made twice as fast."""
    first = np.uint64(2 * at)
    for i in range(_FRAMES):
        out[first + np.uint64(2) * i] += room.out_left[i]
        out[first + np.uint64(2) * i + np.uint64(1)] += room.out_right[i]


@borrowing
def _add_bent(room, turn, levels):
    """A partial whose pitch moves fast."""
    start, step, bent = turn
    left, slope_l, right, slope_r = levels
    for i in range(_FRAMES):
        # unsigned numbers become floats one by one only
        n = np.float32(np.int32(i)) + np.float32(1.0)
        value = cosine(start + n * (step + bent * n))
        room.out_left[i] += (left + slope_l * n) * value
        room.out_right[i] += (right + slope_r * n) * value


@borrowing
def _add_moved(room, turn, levels, ratio):
    """The same with a phase that another layer moves, so many times as far as the root's."""
    start, step, bent = turn
    left, slope_l, right, slope_r = levels
    for i in range(_FRAMES):
        n = np.float32(np.int32(i)) + np.float32(1.0)
        value = cosine(start + n * (step + bent * n) + ratio * room.shift[i])
        room.out_left[i] += (left + slope_l * n) * value
        room.out_right[i] += (right + slope_r * n) * value


@borrowing
def _add_wide(room, turn, levels, ratio):
    """A partial whose sides differ in phase, its pitch moving fast or its phase moved by a layer."""
    start, step, bent = turn
    left, slope_l, right, slope_r, sine, slope_s = levels
    for i in range(_FRAMES):
        n = np.float32(np.int32(i)) + np.float32(1.0)
        phase = start + n * (step + bent * n) + ratio * room.shift[i]
        value, turned = cosine(phase), (sine + slope_s * n) * cosine(phase - _QUARTER)
        room.out_left[i] += (left + slope_l * n) * value + turned
        room.out_right[i] += (right + slope_r * n) * value - turned


@borrowing
def begin_noise(state, key):
    """Each group of bands at a place of its own."""
    for g in range(GROUPS):
        state.noise_at[g] = np.int64(uniform(key, _SEEKS + np.uint64(g)) * _SPANS[g, 1])
    for b in range(BANDS):
        state.noise_mid[b] = state.noise_side[b] = state.noise_alike[b] = np.float32(0.0)


@borrowing
def sound_noise(out, at, state, room, s, sound):
    """Add a tick of noise in bands; left and right are alike as far as ``width`` says, or they
    stand as they were recorded.
    """
    audio = samples_at(sound.address, sound.samples)
    # shares of the one noise and of the other, whose powers add up
    turn = 0.25 * math.pi * (0.01 * s.width)
    shares = (math.cos(turn), math.sin(turn))
    _clear(room)
    mid, side = room.out_left, room.out_right
    for g in range(GROUPS):
        begin, length = _SPANS[g, 0], _SPANS[g, 1]
        here = state.noise_at[g]
        state.noise_at[g] = (here + 1) % length
        one = begin + here * (GROUP * TICK)
        two = begin + ((here + length // 2) % length) * (GROUP * TICK)
        for b in range(g * GROUP, (g + 1) * GROUP):
            to_mid, to_side, alike = _noise_levels(room, b, shares)
            old_mid, old_side = state.noise_mid[b], state.noise_side[b]
            old_alike = state.noise_alike[b]
            state.noise_mid[b], state.noise_side[b] = to_mid, to_side
            state.noise_alike[b] = alike
            if old_mid + to_mid + old_side + to_side >= SILENT:
                add_ramp(mid, audio, one, (old_mid, (to_mid - old_mid) / _TICK))
                add_ramp(side, audio, two, (old_side, (to_side - old_side) / _TICK))
            if old_alike != 0.0 or alike != 0.0:
                add_ramp(side, audio, one, (old_alike, (alike - old_alike) / _TICK))
            one += TICK
            two += TICK
    first = np.uint64(2 * at)
    for i in range(_FRAMES):
        out[first + np.uint64(2) * i] += mid[i] + side[i]
        out[first + np.uint64(2) * i + np.uint64(1)] += mid[i] - side[i]


@borrowing
def _noise_levels(room, b, shares):
    """Levels of a band: of the mid's noise, of the side's own, and of the mid's in the side."""
    if room.placed <= 0.0:
        level = math.sqrt(room.noise[b]) * _HALF
        return np.float32(shares[0] * level), np.float32(shares[1] * level), np.float32(0.0)
    wide = shares[1] * shares[1] * (1.0 - room.placed)
    power, share = 0.5 * room.noise[b], min(wide + room.side[b], 1.0)
    mid, side = math.sqrt(power * (1.0 - share)), math.sqrt(power * share)
    alike = min(max(room.alike[b] / share, -1.0), 1.0) if share > 0.0 else 0.0
    unlike = side * math.sqrt(1.0 - alike * alike)
    return np.float32(mid), np.float32(unlike), np.float32(side * alike)


@borrowing
def begin_transients(state, s, room, place, played):
    """Start the transients that the place has passed in this tick."""
    if s.strikes <= QUIETEST_DB + 1e-9:
        return
    sounds, levels = played.sounds, played.levels
    begun, before = state.begun == 0, state.place
    loud = 10.0 ** (s.strikes / 20.0) * math.sqrt(max(1.0 - 0.01 * s.smear, 0.0))
    loud *= min(1.0, 1.0 - 0.01 * s.balance) if s.balance > 0.0 else 1.0
    for i in range(len(sounds) - 1):
        if room.weights[i] <= 0.0:
            continue
        sound = sounds[i]
        audio = samples_at(sound.address, sound.samples)
        table, pieces = levels[i, TRANSIENTS], levels[i, SAMPLES]
        low, high = before * sound.seconds * RATE, place * sound.seconds * RATE
        if low > high:
            low, high = high, low
        if begun:
            # what a note begins with: its own transient lies a little before
            low -= 0.004 * RATE
        elif high - low > _FARTHEST_S * RATE or high == low:
            continue
        gain = loud * math.sqrt(room.weights[i]) * sound.trim
        for row in range(table.frames):
            frame = audio[table.offset + 3 * row]
            if low < frame <= high:
                share = (frame - low) / max(high - low, 1.0)
                first = pieces.offset + 2 * np.int64(audio[table.offset + 3 * row + 1])
                length = np.int64(audio[table.offset + 3 * row + 2])
                wait = 0 if begun else np.int64(share * (TICK - 1))
                _begin_transient(state, i, first, length, gain, wait)


@borrowing
def _begin_transient(state, sound, first, length, gain, wait):
    for i in range(TRANSIENTS_AT_ONCE):
        transient = state.transients[i]
        if transient.left == 0:
            transient.sound, transient.at, transient.left = sound, first, length
            transient.wait, transient.gain = wait, gain
            return


@borrowing
def sound_transients(out, at, state, s, sounds):
    """Add a tick of the transients that sound, in the middle or where they were recorded."""
    for j in range(TRANSIENTS_AT_ONCE):
        transient = state.transients[j]
        if transient.left == 0:
            continue
        audio = samples_at(sounds[transient.sound].address, sounds[transient.sound].samples)
        count = min(TICK - transient.wait, transient.left)
        gain, placed = np.float32(transient.gain * _HALF), np.float32(0.01 * s.placed)
        for i in range(count):
            mid, side = audio[transient.at + 2 * i], placed * audio[transient.at + 2 * i + 1]
            k = 2 * (at + transient.wait + i)
            out[k] += gain * (mid + side)
            out[k + 1] += gain * (mid - side)
        transient.at += 2 * count
        transient.left -= count
        transient.wait = 0
