"""Source of the *cloud* layer: many short grains from around one place in a sound."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing, inlined
from innerbloom.core.declare.parameters import option
from innerbloom.core.dsp.chance import chance_key, two_sided, uniform
from innerbloom.core.dsp.lattice import nearest_step
from innerbloom.core.dsp.memory import samples_at
from innerbloom.core.dsp.rates import RATE, TICK, TICK_S
from innerbloom.core.dsp.state import DYING, GRAIN, MAX_GRAINS
from innerbloom.core.dsp.taps import Samples, Taps
from innerbloom.core.layers.cloud.align import ALIGN_SCRATCH, best_match
from innerbloom.core.layers.cloud.choose import alike, sound_for
from innerbloom.core.layers.cloud.grain import (
    SHORTEST_TAPER,
    Course,
    Window,
    add_grain,
)
from innerbloom.core.layers.cloud.overlap import evened, follow, gap, overlap_gain, ramp
from innerbloom.core.layers.cloud.parameters import CLOUD
from innerbloom.core.layers.kind import LINK_PHASE, LINK_RATE
from innerbloom.core.layers.reading import (
    SHIFT_SCRATCH,
    TAP_SCRATCH,
    mip_level_for,
    on_path,
    played_note,
    reflected,
    shifts,
)
from innerbloom.core.layers.shared import PATH

CLOUD_STATE = np.dtype(
    [
        ("serial", np.uint64),
        ("onset", np.float64),  # progress towards the next grain
        ("threshold", np.float64),  # where the next grain starts
        ("travel", np.float64),  # distance travelled, seconds of recording
        ("age", np.float64),  # seconds
        ("counter", np.uint64),  # grains started
        ("count", np.int64),  # grains sounding, packed at the front
        ("last", np.int64),  # sound of the last grain
        ("speed", np.float64),  # of the note, at the last tick
        ("place", np.float64),  # of the last grain that was chosen by its sound
        ("newest", np.int64),  # the grain that began last, -1 once it has ended
        ("coherence", np.float64),  # how alike the waves of overlapping grains are, 0..1
        ("gain", np.float64),  # that evens out how many grains overlap, at the last tick
        ("grains", GRAIN, (MAX_GRAINS,)),
    ],
    align=True,
)
"""A cloud of one voice."""

CLOUD_SCRATCH = np.dtype([*TAP_SCRATCH, *SHIFT_SCRATCH, *ALIGN_SCRATCH], align=True)
_MOST_OVERLAP = 48.0
"""Mean overlap of grains in one voice; density gives way above it (MAX_GRAINS leaves room)."""

_COMPARED_AT = 0.25
"""Share of a grain after which its wave is compared: about where two grains cross."""

_DRAWS = np.uint64(8)
"""Random numbers set aside for each grain."""


_SPEED, _AGE = option(CLOUD, "motion", "speed"), option(CLOUD, "motion", "age")
_PATH = option(CLOUD, "motion", "path")
_LOOPED = option(PATH, "path_end", "looped")
_BY_LIKENESS = option(CLOUD, "gather", "a likeness")
_ANYWHERE = option(CLOUD, "steps", "anywhere")


class _Onset(NamedTuple):
    """What the grains that start in a tick have in common.

    key : uint64
        Of their chance.
    share : float
        Where in the sound they come from, 0..1.
    note : float
        Note number.
    reference : float
        Semitones of the reference pitch above A4 = 440 Hz.
    segments : float64 array
        Rows of the segment map, where grains are chosen by what they sound like.
    """

    key: np.uint64
    share: float
    note: float
    reference: float
    segments: NDArray[np.float64]


class _Pace(NamedTuple):
    """How fast grains read: from a root at C4, and times that for sounds with a root."""

    speed: float
    tuned: float


@borrowing
def _begin(state, serial):
    state.serial = serial
    state.onset = 0.0
    state.threshold = 0.0
    state.travel = 0.0
    state.age = 0.0
    state.counter = np.uint64(0)
    state.count = 0
    state.last = -1
    state.speed = 0.0
    state.newest = -1
    state.coherence = -1.0
    state.gain = -1.0


@borrowing
def _centre(state, s, seconds, path):
    """Where grains come from at this tick, in seconds of the recording."""
    state.age += TICK_S
    place = s.position * 0.01 * seconds
    if s.motion == _SPEED:
        state.travel += s.drift * TICK_S
        place = (place + state.travel) % seconds
    elif s.motion == _AGE:
        done = min(1.0, state.age * 1000.0 / s.path_time)
        if s.path_end == _LOOPED:
            done = (state.age * 1000.0 / s.path_time) % 1.0
        place += done * (s.position_end * 0.01 * seconds - place)
    elif s.motion == _PATH:
        place = on_path(path, state.age, s.path_time, s.path_end == _LOOPED) * seconds
    return min(max(place, 0.0), seconds)


@borrowing
def _cents(s, key, base):
    """Random detuning of a grain, drawn to a scale if need be."""
    cents = s.pitch_scatter * two_sided(key, base + np.uint64(1))
    if s.steps != _ANYWHERE:
        cents = 100.0 * nearest_step(cents / 100.0, np.int64(s.steps))
    return cents


@borrowing
def _put_fades(grain, s):
    """The two fades meet at full softness, in the middle unless skewed."""
    length, lean = grain.length, 0.01 * s.skew
    fades = 0.01 * s.softness * length
    grain.fall = min(0.5 * length, SHORTEST_TAPER) + 0.0
    grain.rise = min(max(grain.fall, 0.5 * fades * (1.0 + lean)), length - grain.fall)
    grain.fall = min(max(grain.fall, 0.5 * fades * (1.0 - lean)), length - grain.rise)


@borrowing
def _put_gains(grain, s, key, base, trim):
    """Level and place of a grain, with its own chances."""
    pan = s.stereo_scatter * 0.01 * two_sided(key, base + np.uint64(3))
    angle = (pan + 1.0) * math.pi * 0.25
    quieter = 10.0 ** (-s.level_scatter * uniform(key, base + np.uint64(4)) / 20.0)
    loud = math.sqrt(2.0) * quieter * trim
    grain.left = math.cos(angle) * loud
    grain.right = math.sin(angle) * loud


@borrowing
def _aligned(state, onset, speed, played, grain, offset, scratch):
    """How far a grain's start moves to go on with the wave of the one before, in seconds."""
    if state.newest < 0:
        return 0.0
    before = state.grains[state.newest]
    if before.sound != grain.sound or (before.ratio < 0.0) != (grain.ratio < 0.0):
        return 0.0
    pace = speed / abs(grain.ratio) / RATE
    ahead = _COMPARED_AT * grain.length
    sounding = before.place + (ahead + offset - before.offset) * pace * before.ratio
    wanted = grain.place + ahead * pace * grain.ratio
    sound = played.sounds[grain.sound]
    match = best_match(sound, played.levels[grain.sound], sounding, wanted, scratch)
    follow(state, match.correlation)
    return match.lag_s


@borrowing
def _begin_grain(state, s, zone, played, onset, offset, scratch):
    """Fix a grain's own chances: sound, place, detune, direction, pan, level."""
    base = state.counter * _DRAWS
    state.counter += np.uint64(1)
    key, share, segments, sounds = onset.key, onset.share, onset.segments, played.sounds
    if len(segments) > 0:
        row = alike(segments, s, uniform(key, base + np.uint64(6)))
        which = np.int64(segments[row])
        share = segments[row + 1] / sounds[which].seconds
        state.place = share
    else:
        which = sound_for(state, s, zone, key, base, sounds)
    state.last = which
    sound = sounds[which]
    grain = state.grains[state.count]
    state.count += 1
    # speed of the grain is that of a sound with its root at C4, times this
    ratio = 2.0 ** ((60.0 - sound.root) / 12.0 + _cents(s, key, base) / 1200.0)
    speed = 2.0 ** ((onset.note - 60.0 + sound.pitched * onset.reference) / 12.0) * ratio
    scatter = s.position_scatter * 0.01 * sound.seconds * two_sided(key, base)
    length = max(2.0, min(s.size * 0.001 * RATE, sound.seconds * RATE / speed))
    span = length / RATE * speed
    start = reflected(share * sound.seconds + scatter - 0.5 * span, sound.seconds - span)
    backward = uniform(key, base + np.uint64(2)) * 100.0 < s.direction
    grain.sound = which
    grain.place = start + span if backward else start
    grain.ratio = -ratio if backward else ratio
    grain.age = 0.0
    grain.length = length
    _put_fades(grain, s)
    grain.offset = offset
    grain.level = -1
    if uniform(key, base + np.uint64(5)) * 100.0 < s.alignment:
        moved = _aligned(state, onset, speed, played, grain, offset, scratch)
        low = span if backward else 0.0
        grain.place = min(max(grain.place + moved, low), low + max(0.0, sound.seconds - span))
    else:
        follow(state, 0.0)
    state.newest = state.count - 1
    start = grain.place - span if backward else grain.place
    _put_gains(grain, s, key, base, sound.trim * evened(sound, s, start, span))


@inlined
def _begin_grains(state, s, zone, played, onset, scratch):
    """Start the grains due in this tick. Gaps blend from random to even."""
    size_s = s.size * 0.001
    density = min(s.density, _MOST_OVERLAP / size_s)
    even, overlap = s.regularity * 0.01, density * size_s
    per_tick = density * TICK_S
    spent = 0.0
    while state.onset + (per_tick - spent) >= state.threshold:
        wait = max(0.0, state.threshold - state.onset)
        spent += wait
        offset = min(TICK - 1, np.int64(TICK * spent / per_tick))
        state.onset = 0.0
        if state.count < MAX_GRAINS:
            _begin_grain(state, s, zone, played, onset, offset, scratch)
        else:
            state.counter += np.uint64(1)
        state.threshold = gap(onset.key, state.counter * _DRAWS + np.uint64(7), even, overlap)
    state.onset += per_tick - spent


@inlined
def _add(bus, played, grain, begin, step_s, shift, reach, taps):
    """Add a grain to a tick from frame ``begin`` on."""
    sound, level = played.sounds[grain.sound], played.levels[grain.sound, grain.level]
    samples = Samples(samples_at(sound.address, sound.samples), sound.channels, level.offset)
    rate = level.rate
    course = Course(grain.place * rate, step_s * rate, shift, reach * rate, level.frames - 1)
    window = Window(grain.age, grain.length, grain.rise, grain.fall)
    end = min(TICK, begin + np.int64(math.ceil(grain.length - grain.age)))
    add_grain(bus, samples, begin, end, course, window, (grain.left, grain.right), taps)


@inlined
def _sound_grains(signals, v, at, state, played, pace, scratch):
    """Add one tick of every grain, and drop those that end.

    ``scratch.shift`` is where another layer moves the reading, see :func:`.reading.shifts`.
    """
    bus, unmodulated = (
        signals.out[v, at : at + 2 * TICK],
        signals.unmodulated[v, at : at + 2 * TICK],
    )
    taps, shift, link = Taps(scratch.weights, scratch.index), scratch.shift, signals.link
    i = 0
    while i < state.count:
        grain = state.grains[i]
        sound = played.sounds[grain.sound]
        speed = pace.speed * (pace.tuned if sound.pitched > 0.5 else 1.0) * grain.ratio
        step_s = speed / RATE
        begin = grain.offset
        grain.offset = 0
        if grain.level < 0 or pace.speed > state.speed:
            # a grain keeps its mip level when slowed, but never reads one too full for its speed
            wanted = mip_level_for(abs(step_s) * RATE, sound.octaves_up, played.levels.shape[1])
            grain.level = max(grain.level, wanted)
        reach = 0.0 if link == 0 else (1.0 if link == LINK_PHASE else speed)
        _add(bus, played, grain, begin, step_s, shift[begin:], reach, taps)
        if signals.hold:
            _add(unmodulated, played, grain, begin, step_s, shift[begin:], 0.0, taps)
        moved = TICK - begin
        grain.place += moved * step_s
        if link == LINK_RATE:
            grain.place += speed * shift[TICK]
        grain.age += moved
        if grain.age >= grain.length:
            state.count -= 1
            state.grains[i] = state.grains[state.count]
            if state.newest == i:
                state.newest = -1
            elif state.newest == state.count:
                state.newest = i
        else:
            i += 1
    state.speed = pace.speed


@borrowing
def render_cloud(span, voices, layer, played, signals, scratch):
    """Fill the signals of a cloud layer for some of the voices; see :class:`.LayerKind`."""
    room = scratch[span.first]
    for v in range(span.first, len(voices.records), span.step):
        layer_voice, voice, state = layer.voices[v], voices.records[v], layer.own[v]
        if layer_voice.ticks == 0:
            continue
        key = chance_key(span.seed, voice.serial, np.uint64(layer.number))
        if state.serial != voice.serial:
            _begin(state, voice.serial)
        signals.out[v, : 2 * TICK * layer_voice.ticks] = np.float32(0.0)
        if signals.hold:
            signals.unmodulated[v, : 2 * TICK * layer_voice.ticks] = np.float32(0.0)
        # one voice's ticks in a row: its grains stay in the fastest cache
        for tick in range(layer_voice.ticks):
            s, reference = layer.settings[v, tick], span.reference[tick]
            note = played_note(s, voices.pitches[v, tick])
            main = played.sounds[layer.zones[v].first]
            share = _centre(state, s, main.seconds, played.path) / main.seconds
            segments = played.segments if s.gather == _BY_LIKENESS else played.segments[:0]
            layer_voice.position = share
            if signals.link > 0:
                shifts(room.shift, signals.modulation[v, tick * TICK :], signals.link, main.root)
            if voice.state != DYING:
                onset = _Onset(key, share, note, reference, segments)
                _begin_grains(state, s, layer.zones[v], played, onset, room)
                if len(segments) > 0:
                    layer_voice.position = state.place
            pace = _Pace(2.0 ** ((note - 60.0) / 12.0), 2.0 ** (reference / 12.0))
            at = 2 * tick * TICK
            _sound_grains(signals, v, at, state, played, pace, room)
            gain = overlap_gain(state, min(s.density * s.size * 0.001, _MOST_OVERLAP))
            ramp(signals.out[v, at : at + 2 * TICK], state, gain)
            if signals.hold:
                ramp(signals.unmodulated[v, at : at + 2 * TICK], state, gain)
            state.gain = gain
        layer_voice.sound = max(state.last, 0)
