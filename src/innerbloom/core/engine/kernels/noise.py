"""Source of the *noise* layer: a long stretch of noise that repeats without a seam."""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import kernel
from innerbloom.core.engine.kernels.chance import chance_key, uniform
from innerbloom.core.engine.kernels.grain import spline_weights
from innerbloom.core.engine.kernels.memory import samples_of
from innerbloom.core.engine.kernels.reading import RATE, copy_for, played_note, shifts
from innerbloom.core.engine.state import TICK

NOISE_STATE = np.dtype([("serial", np.uint64), ("place", np.float64)], align=True)
"""A noise of one voice: where it reads, in seconds."""

_TWO = np.uint64(2)


@kernel
def _fill(out, at, audio, copy, place, step, shift, reach, width):
    both = np.float32(0.5 - 0.5 * width)
    one = np.float32(1.0) - both
    # two unlike signals mixed together lose power: put it back
    level = np.float32(1.0 / np.sqrt(one * one + both * both))
    for i in range(TICK):
        p = (place + i * step + shift[i] * reach) * copy.rate % copy.frames
        whole = np.int64(p)
        a, b, c, d = spline_weights(np.float32(p - whole))
        j = _TWO * np.uint64(copy.offset + whole - 1)
        m = j + np.uint64(1)
        left = a * audio[j] + b * audio[j + _TWO]
        left += c * audio[j + _TWO + _TWO] + d * audio[j + _TWO + _TWO + _TWO]
        right = a * audio[m] + b * audio[m + _TWO]
        right += c * audio[m + _TWO + _TWO] + d * audio[m + _TWO + _TWO + _TWO]
        out[at + 2 * i] = level * (one * left + both * right)
        out[at + 2 * i + 1] = level * (one * right + both * left)


@kernel
def render_noise(
    first, step, out, still, moved, turns, hold, voices, parts, chosen, own, now, pitches,
    sounds, copies, path, seed, layer, retune,
):  # fmt: skip
    """Fill the signals of a noise layer for some of the voices; see :mod:`.sources`."""
    shift = np.zeros(TICK + 1)
    sound = sounds[0]
    audio = samples_of(sound)
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
            _fill(out[v], at, audio, copy, state.place, pace, shift, reach, width)
            if hold:
                _fill(still[v], at, audio, copy, state.place, pace, shift, 0.0, width)
            state.place += TICK * pace + reach * shift[TICK]
            state.place %= sound.seconds
            part.position = state.place / sound.seconds
