"""Kernel of the *cloud* layer: many short grains from around one place in a sound."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import kernel
from innerbloom.core.engine.kernels.chance import chance_key, two_sided, uniform, waiting_time
from innerbloom.core.engine.kernels.envelope import advance_envelope, begin_release
from innerbloom.core.engine.kernels.grain import SHORTEST_TAPER, add_grain
from innerbloom.core.engine.state import (
    ATTACK,
    DONE,
    DYING,
    FREE,
    HELD,
    MAX_GRAINS,
    RELEASED,
    TICK,
)

_RATE = 48_000.0
_TICK_S = TICK / _RATE
_FADE_STEP = 0.2
"""Share of the dying fade done in a tick: silent after five ticks, 6.7 ms."""

_MOST_OVERLAP = 48.0
"""Mean overlap of grains in one voice; density gives way above it (MAX_GRAINS leaves room)."""

_DRAWS = np.uint64(8)
"""Random numbers set aside for each grain."""


@kernel
def _reflected(x, high):
    """Fold ``x`` back into 0..high at either end."""
    if high <= 0.0:
        return 0.0
    x = abs(x) % (2.0 * high)
    return 2.0 * high - x if x > high else x


@kernel
def _begin_part(part, serial):
    part.serial = serial
    part.stage = ATTACK
    part.progress = 0.0
    part.level = 0.0
    part.from_level = 0.0
    part.fade = 1.0
    part.left = 0.0
    part.right = 0.0
    part.onset = 0.0
    part.threshold = 0.0
    part.travel = 0.0
    part.counter = np.uint64(0)
    part.grains = 0
    part.active = 1


@kernel
def _centre(part, voice, s, seconds):
    """Where grains come from at this tick, in seconds of the recording."""
    part.travel += s.drift * _TICK_S
    place = (s.position + s.slide_position * voice.slide) * 0.01 * seconds
    if s.drift != 0.0 or part.travel != 0.0:
        place = (place + part.travel) % seconds
    return min(max(place, 0.0), seconds)


@kernel
def _begin_grain(grain, part, s, key, centre, speed, seconds, offset, gain):
    """Fix a grain's own chances: place, detune, direction, pan, level."""
    base = part.counter * _DRAWS
    part.counter += np.uint64(1)
    scatter = s.position_scatter * 0.01 * seconds * two_sided(key, base)
    detune = 2.0 ** (s.pitch_scatter * two_sided(key, base + np.uint64(1)) / 1200.0)
    length = s.size * 0.001 * _RATE
    longest = seconds * _RATE / (speed * detune)
    length = max(2.0, min(length, longest))
    span = length / _RATE * speed * detune
    start = _reflected(centre + scatter - 0.5 * span, seconds - span)
    backward = uniform(key, base + np.uint64(2)) * 100.0 < s.direction
    grain.place = start + span if backward else start
    grain.ratio = -detune if backward else detune
    grain.age = 0.0
    grain.length = length
    # the two fades meet in the middle at full softness
    grain.taper = min(0.5 * length, max(SHORTEST_TAPER, 0.005 * s.softness * length))
    pan = s.stereo_scatter * 0.01 * two_sided(key, base + np.uint64(3))
    angle = (pan + 1.0) * math.pi * 0.25
    quieter = 10.0 ** (-s.level_scatter * uniform(key, base + np.uint64(4)) / 20.0)
    grain.left = math.sqrt(2.0) * math.cos(angle) * quieter * gain
    grain.right = math.sqrt(2.0) * math.sin(angle) * quieter * gain
    grain.offset = offset
    grain.copy = -1


@kernel
def _begin_grains(grains, part, s, key, centre, speed, seconds):
    """Start the grains due in this tick. Gaps blend from random to even."""
    size_s = s.size * 0.001
    density = min(s.density, _MOST_OVERLAP / size_s)
    # overlapping grains of unlike phase add in power; Tukey's window holds 1 - 5a/8 of it
    power = density * size_s * (1.0 - 0.00625 * s.softness)
    gain = 1.0 / math.sqrt(max(1.0, power))
    even = s.regularity * 0.01
    per_tick = density * _TICK_S
    spent = 0.0
    while part.onset + (per_tick - spent) >= part.threshold:
        wait = max(0.0, part.threshold - part.onset)
        spent += wait
        offset = min(TICK - 1, np.int64(TICK * spent / per_tick))
        part.onset = 0.0
        if part.grains < MAX_GRAINS:
            _begin_grain(grains[part.grains], part, s, key, centre, speed, seconds, offset, gain)
            part.grains += 1
        else:
            part.counter += np.uint64(1)
        gap = waiting_time(key, part.counter * _DRAWS + np.uint64(7))
        part.threshold = even + (1.0 - even) * max(0.02, gap)
    part.onset += per_tick - spent


@kernel
def _copy_for(speed, octaves_up, copies):
    """The fullest copy that does not alias when read at this speed."""
    if speed <= 0.0:
        return 0
    k = np.int64(math.ceil(math.log2(speed) - 1e-9)) + octaves_up
    return min(max(k, 0), copies - 1)


@kernel
def _add_from_copy(bus, audio, copies, k, grain, begin, step_s, weights, index):
    copy = copies[k]
    left_over = grain.length - grain.age
    end = min(TICK, begin + np.int64(math.ceil(left_over)))
    add_grain(
        bus,
        audio,
        copy.offset,
        copy.frames - 1,
        begin,
        end,
        grain.place * copy.rate,
        step_s * copy.rate,
        grain.age,
        grain.length,
        grain.taper,
        grain.left,
        grain.right,
        weights,
        index,
    )


@kernel
def _sound_grains(bus, grains, part, audio, copies, octaves_up, speed, weights, index):
    """Add one tick of every grain, and drop those that end."""
    i = 0
    while i < part.grains:
        grain = grains[i]
        step_s = speed * grain.ratio / _RATE
        begin = grain.offset
        grain.offset = 0
        wanted = _copy_for(abs(step_s) * _RATE, octaves_up, len(copies))
        if grain.copy < 0:
            grain.copy = wanted
        # a grain keeps its copy when slowed, but never reads one too full for its speed
        grain.copy = max(grain.copy, wanted)
        _add_from_copy(bus, audio, copies, grain.copy, grain, begin, step_s, weights, index)
        moved = TICK - begin
        grain.place += moved * step_s
        grain.age += moved
        if grain.age >= grain.length:
            part.grains -= 1
            grains[i] = grains[part.grains]
        else:
            i += 1


@kernel
def _voice_gain(part, voice, s):
    """Envelope, velocity, pressure and dying fade as one factor."""
    softer = 1.0 - s.velocity_level * 0.01 * (1.0 - voice.velocity * voice.velocity)
    pressed = 10.0 ** (s.pressure_level * voice.pressure / 20.0)
    return advance_envelope(part, s) * softer * pressed * part.fade


@kernel
def _mix_part(out, at, bus, part, left, right):
    """Add a tick to the output, gains moving straight from the last tick's."""
    step_l = (left - part.left) / TICK
    step_r = (right - part.right) / TICK
    for i in range(TICK):
        out[at + i, 0] += bus[2 * i] * np.float32(part.left + step_l * (i + 1))
        out[at + i, 1] += bus[2 * i + 1] * np.float32(part.right + step_r * (i + 1))
    part.left = left
    part.right = right


@kernel
def _layer_levels(ticks, gains, s, trim):
    """Left and right level at the end of each tick, shape (ticks, 2), smoothed over 9 ms."""
    levels = np.empty((ticks, 2))
    for tick in range(ticks):
        gains[0] += 0.15 * (10.0 ** (s.level / 20.0) - gains[0])
        gains[1] += 0.15 * (s.pan * 0.01 - gains[1])
        angle = (gains[1] + 1.0) * math.pi * 0.25
        levels[tick, 0] = math.sqrt(2.0) * math.cos(angle) * gains[0] * trim
        levels[tick, 1] = math.sqrt(2.0) * math.sin(angle) * gains[0] * trim
    return levels


@kernel
def render_cloud(
    out, bus, voices, parts, grains, settings, layer, audio, copies, shape, gains, seed, tuning
):
    """Add whole ticks of a cloud layer to ``out``.

    Parameters
    ----------
    out : float32 array, shape (ticks * TICK, 2)
    bus : float32 array, shape (2 * TICK,)
        Scratch, interleaved.
    voices, parts : record arrays, shape (slots,)
    grains : record array, shape (slots, MAX_GRAINS)
    settings : record array, shape (1,)
        The layer's settings in their own units.
    layer : int
        Index of the layer, for its chance.
    audio, copies : arrays
        The material, interleaved, see :mod:`innerbloom.core.engine.material`.
    shape : float64 array, shape (5,)
        Length in seconds, octaves above, root as a note number, trim as a factor, and
        whether the sound has a pitch (1) or not (0).
    gains : float64 array, shape (2,)
        Smoothed level and pan, carried from tick to tick.
    seed : int
    tuning : float
        Reference pitch in Hz.
    """
    s = settings[0]
    seconds, octaves_up = shape[0], np.int64(shape[1])
    # keys follow the reference pitch; roots are stated at A4 = 440 Hz
    root = shape[2] - shape[4] * 12.0 * math.log2(tuning / 440.0)
    levels = _layer_levels(len(out) // TICK, gains, s, shape[3])
    weights = np.empty((4, TICK), np.float32)
    index = np.empty(TICK, np.int32)
    for v in range(len(voices)):
        voice, part = voices[v], parts[v]
        if voice.state == FREE:
            continue
        key = chance_key(np.uint64(seed), voice.serial, np.uint64(layer))
        if part.serial != voice.serial:
            _begin_part(part, voice.serial)
        # one voice's ticks in a row: its grains stay in the fastest cache
        for tick in range(len(levels)):
            if part.active == 0:
                break
            if voice.state == RELEASED:
                begin_release(part)
            elif voice.state == DYING:
                part.fade = max(0.0, part.fade - _FADE_STEP)
            semitones = voice.key + voice.bend - root + s.pitch + s.fine * 0.01
            speed = 2.0 ** (semitones / 12.0)
            centre = _centre(part, voice, s, seconds)
            part.position = centre / seconds
            bus[:] = np.float32(0.0)
            if voice.state == HELD or voice.state == RELEASED:
                _begin_grains(grains[v], part, s, key, centre, speed, seconds)
            _sound_grains(bus, grains[v], part, audio, copies, octaves_up, speed, weights, index)
            gain = _voice_gain(part, voice, s)
            _mix_part(out, tick * TICK, bus, part, gain * levels[tick, 0], gain * levels[tick, 1])
            if part.stage == DONE or part.fade <= 0.0:
                part.active = 0
                part.grains = 0
