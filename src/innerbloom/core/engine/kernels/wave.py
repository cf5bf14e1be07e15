"""Source of the *wave* layer: plain waves and wavetables, band-limited at every pitch."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.engine.kernels.chance import chance_key, uniform
from innerbloom.core.engine.kernels.memory import samples_at
from innerbloom.core.engine.kernels.reading import RATE, played_note
from innerbloom.core.engine.kernels.taps import put_taps, read_tap
from innerbloom.core.engine.state import TICK
from innerbloom.core.engine.wavetable import LEVELS, MOST_HARMONICS, PER_OCTAVE
from innerbloom.core.instrument.kind_parameters import WAVE
from innerbloom.core.instrument.parameters import option

WAVE_STATE = np.dtype(
    [
        ("serial", np.uint64),
        ("phase", np.float64),  # periods
        ("step", np.float64),  # periods a frame at the end of the last tick
        ("level", np.int64),
        ("frame", np.float64),
        ("width", np.float64),
    ],
    align=True,
)
"""A wave of one voice."""

_PULSE = option(WAVE, "shape", "pulse")
_TURN = 1.0 / (2.0 * math.pi)
_FRAMES = np.uint64(TICK)


@borrowing
def _level_for(step):
    """The fullest level without aliasing at so many periods a frame."""
    if step <= 0.0:
        return 0
    over = math.log2(2.0 * MOST_HARMONICS * step)
    return min(max(np.int64(math.ceil(PER_OCTAVE * over - 1e-9)), 0), LEVELS - 1)


@borrowing
def _phases(phases, state, step, moved, turns, still):
    """Where the wave is at each frame of a tick; gives the widest move between two frames."""
    slope = (step - state.step) / TICK
    phase = state.phase
    widest = max(step, state.step)
    before = phase
    for i in range(TICK):
        now = state.step + slope * (i + 1)
        still[i] = phase
        at = phase + moved[i] * _TURN if turns == 1 else phase
        phases[i] = at
        if i > 0:
            widest = max(widest, abs(at - before))
        before = at
        phase += now * (1.0 + moved[i]) if turns == 2 else now
    state.phase = phase - math.floor(phase)
    return widest


@borrowing
def _places(phases, late, later, size, weights, index):
    """Samples and spline weights for each phase less a lag: arithmetic that vectorises."""
    slope = (later - late) / TICK
    top = np.float64(size)
    lag = late
    for i in range(_FRAMES):
        lag += slope
        phase = phases[i] - lag
        place = (phase - np.floor(phase)) * top
        whole = np.int32(place)
        index[i] = whole
        put_taps(weights, i, np.float32(place - whole), np.float32(1.0))


@borrowing
def _read(into, audio, first, weights, index, gain, slope):
    """Add one frame's samples, at a gain that moves by ``slope`` a sample."""
    level, rise = np.float32(gain), np.float32(slope)
    if slope == 0.0:
        for i in range(_FRAMES):
            into[i] += level * read_tap(audio, first, weights, index, i)
        return
    for i in range(_FRAMES):
        level += rise
        into[i] += level * read_tap(audio, first, weights, index, i)


@borrowing
def _add_level(into, audio, sound, copy, old_frame, frame, phases, weights, index, gain, slope):
    """Add the wave as one level has it, between frames where it lies there.

    The frame moves straight through the tick between the two nearest frames; a move past a
    frame within one tick lands on the nearest pair of its end.
    """
    _places(phases, 0.0, 0.0, copy.frames, weights, index)
    below = min(np.int64(frame), sound.frames - 1)
    first = copy.offset + below * sound.stride
    blend = min(max(frame - below, 0.0), 1.0)
    before = min(max(old_frame - below, 0.0), 1.0)
    if below == sound.frames - 1 or (blend == 0.0 and before == 0.0):
        _read(into, audio, first, weights, index, gain, slope)
        return
    move = (blend - before) / TICK
    # gains of level and frame are both ramps; their product is near enough a ramp in a tick
    end = gain + slope * TICK
    near, near_end = gain * (1.0 - before), end * (1.0 - before - move * TICK)
    far, far_end = gain * before, end * (before + move * TICK)
    _read(into, audio, first, weights, index, near, (near_end - near) / TICK)
    _read(into, audio, first + sound.stride, weights, index, far, (far_end - far) / TICK)


@borrowing
def _add_pulse(into, audio, copy, old_width, width, phases, weights, index, gain, slope):
    """A pulse is a saw less the same saw a width later."""
    _places(phases, 0.0, 0.0, copy.frames, weights, index)
    _read(into, audio, copy.offset, weights, index, gain, slope)
    _places(phases, old_width, width, copy.frames, weights, index)
    _read(into, audio, copy.offset, weights, index, -gain, -slope)


@borrowing
def _fill(out, at, audio, sound, copies, level, state, frame, width, phases, pulse, weights, index):
    """One tick of samples, crossing over where the level has changed."""
    into = out[at : at + TICK]
    into[:] = np.float32(0.0)
    crossing = state.level >= 0 and state.level != level
    for old in range(2):
        if old == 1 and not crossing:
            break
        copy = copies[state.level if old == 1 else level]
        gain, slope = 1.0, 0.0
        if crossing:
            gain, slope = (1.0, -1.0 / TICK) if old == 1 else (0.0, 1.0 / TICK)
        if pulse:
            _add_pulse(into, audio, copy, state.width, width, phases, weights, index, gain, slope)
        else:
            _add_level(into, audio, sound, copy, state.frame, frame, phases, weights, index, gain,
                       slope)  # fmt: skip


@borrowing
def render_wave(
    first, step, out, still, moved, turns, hold, voices, parts, chosen, own, now, pitches,
    sounds, copies, path, seed, layer, retune, scratch,
):  # fmt: skip
    """Fill the signals of a wave layer for some of the voices, mono; see :mod:`.sources`."""
    phases = scratch[first].phases
    plain = scratch[first].plain
    weights = scratch[first].weights
    index = scratch[first].index
    sound = sounds[0]
    audio = samples_at(sound.address, sound.samples)
    for v in range(first, len(voices), step):
        part, voice, state = parts[v], voices[v], own[v]
        for tick in range(part.ticks):
            s = now[v, tick]
            note = played_note(s, pitches[v, tick]) + retune
            pace = 440.0 * 2.0 ** ((note - 69.0) / 12.0) / RATE
            frame = s.frame * 0.01 * (sound.frames - 1)
            width = s.width * 0.01
            if state.serial != voice.serial:
                key = chance_key(np.uint64(seed), voice.serial, np.uint64(layer))
                state.serial = voice.serial
                state.phase = 0.01 * (s.phase + s.phase_scatter * uniform(key, np.uint64(0)))
                state.step = pace
                state.level = -1
                state.frame = frame
                state.width = width
            at = tick * TICK
            widest = _phases(phases, state, pace, moved[v, at:], turns, plain)
            level = _level_for(widest)
            pulse = s.shape == _PULSE
            if hold:
                _fill(still[v], at, audio, sound, copies[0], _level_for(pace), state, frame, width,
                      plain, pulse, weights, index)  # fmt: skip
            _fill(out[v], at, audio, sound, copies[0], level, state, frame, width, phases, pulse,
                  weights, index)  # fmt: skip
            state.step, state.level = pace, level
            state.frame, state.width = frame, width
            part.position = state.frame / max(sound.frames - 1, 1)
