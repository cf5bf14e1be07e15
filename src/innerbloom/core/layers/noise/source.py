"""Source of the *noise* layer: a long stretch of noise that repeats without a seam."""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.chance import chance_key, uniform
from innerbloom.core.dsp.memory import samples_at
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.dsp.taps import Samples, Taps, add_taps, put_taps
from innerbloom.core.layers.cloud.grain import Course
from innerbloom.core.layers.kind import LINK_PHASE
from innerbloom.core.layers.reading import (
    SHIFT_SCRATCH,
    TAP_SCRATCH,
    mip_level_for,
    played_note,
    shifts,
)

NOISE_SCRATCH = np.dtype([*TAP_SCRATCH, *SHIFT_SCRATCH], align=True)
NOISE_STATE = np.dtype([("serial", np.uint64), ("place", np.float64)], align=True)
"""A noise of one voice: where it reads, in seconds."""

_FRAMES = np.uint64(TICK)


@borrowing
def _fill(out, samples, level, course, width, taps):
    """One tick, its two unlike channels mixed as far as ``width`` is below 1."""
    weights, index, shift = taps.weights, taps.places, course.shift
    frames = np.float64(level.frames)
    for i in range(_FRAMES):
        p = (course.place + i * course.step + shift[i] * course.reach) * level.rate
        # not the remainder, which is no vector code
        p -= frames * np.floor(p / frames)
        whole = np.int32(p)
        index[i] = whole
        put_taps(weights, i, np.float32(p - whole), np.float32(1.0))
    out[:] = np.float32(0.0)
    add_taps(out, samples, 0, _FRAMES, (1.0, 1.0), taps)
    both = np.float32(0.5 - 0.5 * width)
    one = np.float32(1.0) - both
    # two unlike signals mixed together lose power: put it back
    gain = np.float32(1.0) / np.sqrt(one * one + both * both)
    for i in range(TICK):
        left, right = out[2 * i], out[2 * i + 1]
        out[2 * i] = gain * (one * left + both * right)
        out[2 * i + 1] = gain * (one * right + both * left)


@borrowing
def render_noise(span, voices, layer, played, signals, scratch):
    """Fill the signals of a noise layer for some of the voices; see :class:`.LayerKind`."""
    room = scratch[span.first]
    shift, taps = room.shift, Taps(room.weights, room.index)
    sound, levels = played.sounds[0], played.levels[0]
    audio = samples_at(sound.address, sound.samples)
    for v in range(span.first, len(voices.records), span.step):
        layer_voice, voice, state = layer.voices[v], voices.records[v], layer.own[v]
        if layer_voice.ticks > 0 and state.serial != voice.serial:
            key = chance_key(span.seed, voice.serial, np.uint64(layer.number))
            state.serial = voice.serial
            state.place = uniform(key, np.uint64(0)) * sound.seconds
        for tick in range(layer_voice.ticks):
            s = layer.settings[v, tick]
            speed = 2.0 ** ((played_note(s, voices.pitches[v, tick]) - 60.0) / 12.0)
            level = levels[mip_level_for(speed, 0, len(levels))]
            samples = Samples(audio, 2, level.offset)
            pace, reach = speed / RATE, 0.0
            if signals.link > 0:
                shifts(shift, signals.modulation[v, tick * TICK :], signals.link, 60.0)
                reach = 1.0 if signals.link == LINK_PHASE else speed
            at, width = 2 * tick * TICK, s.width * 0.01
            moved = Course(state.place, pace, shift, reach, level.frames)
            _fill(signals.out[v, at : at + 2 * TICK], samples, level, moved, width, taps)
            if signals.hold:
                still = Course(state.place, pace, shift, 0.0, level.frames)
                bus = signals.unmodulated[v, at : at + 2 * TICK]
                _fill(bus, samples, level, still, width, taps)
            state.place += TICK * pace + reach * shift[TICK]
            state.place %= sound.seconds
            layer_voice.position = state.place / sound.seconds
