"""Source of the *noise* layer: a long stretch of noise that repeats without a seam."""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.engine.kernels.chance import chance_key, uniform
from innerbloom.core.engine.kernels.memory import samples_at
from innerbloom.core.engine.kernels.reading import RATE, copy_for, played_note, shifts
from innerbloom.core.engine.kernels.taps import add_taps, put_taps
from innerbloom.core.engine.state import TICK

NOISE_STATE = np.dtype([("serial", np.uint64), ("place", np.float64)], align=True)
"""A noise of one voice: where it reads, in seconds."""

_FRAMES = np.uint64(TICK)


@borrowing
def _fill(out, audio, copy, place, step, shift, reach, width, weights, index):
    """One tick, its two unlike channels mixed as far as ``width`` is below 1."""
    frames = np.float64(copy.frames)
    for i in range(_FRAMES):
        p = (place + i * step + shift[i] * reach) * copy.rate
        # not the remainder, which is no vector code
        p -= frames * np.floor(p / frames)
        whole = np.int32(p)
        index[i] = whole
        put_taps(weights, i, np.float32(p - whole), np.float32(1.0))
    out[:] = np.float32(0.0)
    add_taps(out, audio, 2, copy.offset, 0, _FRAMES, 1.0, 1.0, weights, index)
    both = np.float32(0.5 - 0.5 * width)
    one = np.float32(1.0) - both
    # two unlike signals mixed together lose power: put it back
    level = np.float32(1.0) / np.sqrt(one * one + both * both)
    for i in range(TICK):
        left, right = out[2 * i], out[2 * i + 1]
        out[2 * i] = level * (one * left + both * right)
        out[2 * i + 1] = level * (one * right + both * left)


@borrowing
def render_noise(
    first, step, out, still, moved, turns, hold, voices, parts, chosen, own, now, pitches,
    sounds, copies, path, seed, layer, retune, scratch,
):  # fmt: skip
    """Fill the signals of a noise layer for some of the voices; see :mod:`.sources`."""
    shift = scratch[first].shift
    weights = scratch[first].weights
    index = scratch[first].index
    sound = sounds[0]
    audio = samples_at(sound.address, sound.samples)
    for v in range(first, len(voices), step):
        part, voice, state = parts[v], voices[v], own[v]
        if part.ticks > 0 and state.serial != voice.serial:
            key = chance_key(np.uint64(seed), voice.serial, np.uint64(layer))
            state.serial = voice.serial
            state.place = uniform(key, np.uint64(0)) * sound.seconds
        for tick in range(part.ticks):
            s = now[v, tick]
            speed = 2.0 ** ((played_note(s, pitches[v, tick]) - 60.0) / 12.0)
            copy = copies[0][copy_for(speed, 0, copies.shape[1])]
            pace = speed / RATE
            reach = 0.0
            if turns > 0:
                shifts(shift, moved[v, tick * TICK :], turns, 60.0)
                reach = 1.0 if turns == 1 else speed
            at = 2 * tick * TICK
            width = s.width * 0.01
            _fill(out[v, at : at + 2 * TICK], audio, copy, state.place, pace, shift, reach, width,
                  weights, index)  # fmt: skip
            if hold:
                _fill(still[v, at : at + 2 * TICK], audio, copy, state.place, pace, shift, 0.0, width,
                      weights, index)  # fmt: skip
            state.place += TICK * pace + reach * shift[TICK]
            state.place %= sound.seconds
            part.position = state.place / sound.seconds
