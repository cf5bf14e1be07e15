"""Strikes of a spectrum, played as they were.

In a morph those that sounds have at the same place replace each other by power, so that an attack is
as strong half way; one that only a single sound has goes in dB, as its partials and its noise do.
"""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.memory import samples_at
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.layers.spectral.parameters import QUIETEST_DB
from innerbloom.core.layers.spectral.room import TRANSIENTS_AT_ONCE
from innerbloom.core.materials.spectrum.prepared import SAMPLES, TRANSIENTS

_FARTHEST_S = 0.08
"""A place that moves farther in a tick has jumped, and transients between are not heard."""

_HALF = math.sqrt(0.5)
_TOGETHER_S = 0.03
"""Strikes that are no farther apart are heard as one (common practice)."""

_FLOOR = 10.0 ** (-40.0 / 20.0)
"""Gain from which a strike that only one sound has comes up, 40 dB: it stands out of what sounds there
already."""


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
        for row in range(table.frames):
            frame = audio[table.offset + 3 * row]
            if low < frame <= high:
                share = (frame - low) / max(high - low, 1.0)
                first = pieces.offset + 2 * np.int64(audio[table.offset + 3 * row + 1])
                length = np.int64(audio[table.offset + 3 * row + 2])
                wait = 0 if begun else np.int64(share * (TICK - 1))
                gain = loud * sound.trim * _share_of(room, i, frame, played)
                _begin_transient(state, i, first, length, gain, wait)


@borrowing
def _share_of(room, i, frame, played):
    """Gain of a strike of one sound of a morph, by the sound's weight."""
    weight = room.weights[i]
    if weight >= 1.0 or _is_met(room, i, frame, played):
        return math.sqrt(weight)
    return (_FLOOR ** (1.0 - weight) - _FLOOR) / (1.0 - _FLOOR)


@borrowing
def _is_met(room, i, frame, played):
    """Whether another sound of the morph has a strike at the same place."""
    sounds, levels = played.sounds, played.levels
    for j in range(len(sounds) - 1):
        if j == i or room.weights[j] <= 0.0:
            continue
        audio = samples_at(sounds[j].address, sounds[j].samples)
        table = levels[j, TRANSIENTS]
        there = frame * sounds[j].seconds / sounds[i].seconds
        for row in range(table.frames):
            if abs(audio[table.offset + 3 * row] - there) <= _TOGETHER_S * RATE:
                return True
    return False


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
