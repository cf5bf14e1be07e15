"""Source of the *cloud* layer: many short grains from around one place in a sound."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.engine.kernels.chance import chance_key, two_sided, uniform, waiting_time
from innerbloom.core.engine.kernels.grain import SHORTEST_TAPER, add_grain
from innerbloom.core.engine.kernels.lattice import nearest_step
from innerbloom.core.engine.kernels.memory import samples_at
from innerbloom.core.engine.kernels.reading import (
    RATE,
    copy_for,
    on_path,
    played_note,
    reflected,
    shifts,
)
from innerbloom.core.engine.state import DYING, GRAIN, MAX_GRAINS, PATH_STEPS, TICK
from innerbloom.core.instrument.kind_parameters import CHOOSING, CLOUD, DESCRIBED
from innerbloom.core.instrument.parameters import option

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
        ("grains", GRAIN, (MAX_GRAINS,)),
    ],
    align=True,
)
"""A cloud of one voice."""

_TICK_S = TICK / RATE
_MOST_OVERLAP = 48.0
"""Mean overlap of grains in one voice; density gives way above it (MAX_GRAINS leaves room)."""

_COLUMNS = 2 + len(DESCRIBED)
"""Of a segment: its sound, its place in seconds, and what describes it."""

_DRAWS = np.uint64(8)
"""Random numbers set aside for each grain."""


_SPEED, _AGE = option(CLOUD, "motion", "speed"), option(CLOUD, "motion", "age")
_PATH = option(CLOUD, "motion", "path")
_IN_TURN, _BY_CHANCE = option(CHOOSING, "choose", "in turn"), option(CHOOSING, "choose", "chance")
_BY_CONTROL = option(CHOOSING, "choose", "control")


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


@borrowing
def _centre(state, s, seconds, path):
    """Where grains come from at this tick, in seconds of the recording."""
    state.age += _TICK_S
    place = s.position * 0.01 * seconds
    if s.motion == _SPEED:
        state.travel += s.drift * _TICK_S
        place = (place + state.travel) % seconds
    elif s.motion == _AGE:
        done = min(1.0, state.age * 1000.0 / s.path_time)
        if s.path_end > 0.5:
            done = (state.age * 1000.0 / s.path_time) % 1.0
        place += done * (s.position_end * 0.01 * seconds - place)
    elif s.motion == _PATH:
        place = on_path(path, state.age, s.path_time, s.path_end > 0.5) * seconds
    return min(max(place, 0.0), seconds)


@borrowing
def _sound_for(state, s, chosen, key, base, sounds):
    """Which sound a grain is taken from."""
    count = len(sounds)
    if count == 1:
        return 0
    draw = uniform(key, base + np.uint64(6))
    if s.choose == _BY_CONTROL:
        place = s.choice * 0.01 * (count - 1)
        below = min(np.int64(place), count - 2)
        blend = place - below
        return below + (draw < blend if s.borders > 0.5 else blend >= 0.5)
    if s.pick > 0.5 and s.choose == _IN_TURN:
        return (state.last + 1) % count
    if s.pick > 0.5 and s.choose == _BY_CHANCE:
        return _drawn(state.last, draw, sounds)
    return chosen.second if draw < chosen.share else chosen.first


@borrowing
def _drawn(last, draw, sounds):
    """A sound by weight, other than the last one."""
    count = len(sounds)
    whole = sounds[count - 1].weight
    skipped = 0.0
    if last >= 0:
        skipped = sounds[last].weight - (sounds[last - 1].weight if last > 0 else 0.0)
    if whole - skipped <= 1e-9:
        return max(last, 0)
    aim = draw * (whole - skipped)
    for i in range(count):
        if i == last:
            continue
        passed = sounds[i].weight - (skipped if last >= 0 and i > last else 0.0)
        if aim < passed:
            return i
    return count - 1 if last != count - 1 else count - 2


@borrowing
def _alike(segments, s, draw):
    """Where the row of a segment begins that lies by the point on the map, one of those in reach."""
    across, up = 2 + np.int64(s.across_is), 2 + np.int64(s.up_is)
    x, y = 0.01 * s.across, 0.01 * s.up
    reach = (0.01 * s.reach) ** 2
    inside, nearest, found = 0, 1e9, 0
    for at in range(0, len(segments), _COLUMNS):
        far = (segments[at + across] - x) ** 2 + (segments[at + up] - y) ** 2
        if far <= reach:
            inside += 1
        if far < nearest:
            nearest, found = far, at
    if inside < 2:
        return found
    left = np.int64(draw * inside)
    for at in range(0, len(segments), _COLUMNS):
        far = (segments[at + across] - x) ** 2 + (segments[at + up] - y) ** 2
        if far <= reach:
            if left == 0:
                return at
            left -= 1
    return found


@borrowing
def _begin_grain(state, s, chosen, key, share, note, sounds, segments, retune, offset, gain):
    """Fix a grain's own chances: sound, place, detune, direction, pan, level."""
    base = state.counter * _DRAWS
    state.counter += np.uint64(1)
    if len(segments) > 0:
        row = _alike(segments, s, uniform(key, base + np.uint64(6)))
        which = np.int64(segments[row])
        share = segments[row + 1] / sounds[which].seconds
        state.place = share
    else:
        which = _sound_for(state, s, chosen, key, base, sounds)
    state.last = which
    sound = sounds[which]
    grain = state.grains[state.count]
    state.count += 1
    cents = s.pitch_scatter * two_sided(key, base + np.uint64(1))
    if s.steps > 0.5:
        cents = 100.0 * nearest_step(cents / 100.0, np.int64(s.steps))
    # speed of the grain is that of a sound with its root at C4, times this
    ratio = 2.0 ** ((60.0 - sound.root) / 12.0 + cents / 1200.0)
    speed = 2.0 ** ((note - 60.0 + sound.pitched * retune) / 12.0) * ratio
    scatter = s.position_scatter * 0.01 * sound.seconds * two_sided(key, base)
    length = s.size * 0.001 * RATE
    length = max(2.0, min(length, sound.seconds * RATE / speed))
    span = length / RATE * speed
    start = reflected(share * sound.seconds + scatter - 0.5 * span, sound.seconds - span)
    backward = uniform(key, base + np.uint64(2)) * 100.0 < s.direction
    grain.sound = which
    grain.place = start + span if backward else start
    grain.ratio = -ratio if backward else ratio
    grain.age = 0.0
    grain.length = length
    # the two fades meet at full softness, in the middle unless skewed
    lean = 0.01 * s.skew
    fades = 0.01 * s.softness * length
    grain.rise = min(0.5 * length, SHORTEST_TAPER) + 0.0
    grain.fall = grain.rise
    grain.rise = min(max(grain.rise, 0.5 * fades * (1.0 + lean)), length - grain.fall)
    grain.fall = min(max(grain.fall, 0.5 * fades * (1.0 - lean)), length - grain.rise)
    pan = s.stereo_scatter * 0.01 * two_sided(key, base + np.uint64(3))
    angle = (pan + 1.0) * math.pi * 0.25
    quieter = 10.0 ** (-s.level_scatter * uniform(key, base + np.uint64(4)) / 20.0)
    loud = math.sqrt(2.0) * quieter * gain * sound.trim
    grain.left = math.cos(angle) * loud
    grain.right = math.sin(angle) * loud
    grain.offset = offset
    grain.copy = -1


@borrowing
def _begin_grains(state, s, chosen, key, share, note, sounds, segments, retune):
    """Start the grains due in this tick. Gaps blend from random to even."""
    size_s = s.size * 0.001
    density = min(s.density, _MOST_OVERLAP / size_s)
    # overlapping grains of unlike phase add in power; Tukey's window holds 1 - 5a/8 of it
    power = density * size_s * (1.0 - 0.00625 * s.softness)
    gain = 1.0 / math.sqrt(max(1.0, power))
    even = s.regularity * 0.01
    per_tick = density * _TICK_S
    spent = 0.0
    while state.onset + (per_tick - spent) >= state.threshold:
        wait = max(0.0, state.threshold - state.onset)
        spent += wait
        offset = min(TICK - 1, np.int64(TICK * spent / per_tick))
        state.onset = 0.0
        if state.count < MAX_GRAINS:
            _begin_grain(state, s, chosen, key, share, note, sounds, segments, retune, offset,
                         gain)  # fmt: skip
        else:
            state.counter += np.uint64(1)
        gap = waiting_time(key, state.counter * _DRAWS + np.uint64(7))
        state.threshold = even + (1.0 - even) * max(0.02, gap)
    state.onset += per_tick - spent


@borrowing
def _add_from_copy(bus, sound, copies, grain, begin, step_s, shift, reach, weights, index):
    copy = copies[grain.sound, grain.copy]
    left_over = grain.length - grain.age
    end = min(TICK, begin + np.int64(math.ceil(left_over)))
    add_grain(
        bus, samples_at(sound.address, sound.samples), sound.channels, copy.offset, copy.frames - 1, begin, end,
        grain.place * copy.rate, step_s * copy.rate, shift, reach * copy.rate,
        grain.age, grain.length, grain.rise, grain.fall, grain.left, grain.right, weights, index,
    )  # fmt: skip


@borrowing
def _sound_grains(bus, still, state, sounds, copies, speed, tuned, shift, turns, hold,
                  weights, index):  # fmt: skip
    """Add one tick of every grain, and drop those that end.

    ``tuned`` is the speed that the reference pitch adds to sounds with a root. ``shift`` is
    where another layer moves the reading, see :func:`.reading.shifts`; ``turns`` is 0 for none,
    1 for phase, 2 for rate. With ``hold``, grains are added to ``still`` as if unmoved.
    """
    i = 0
    while i < state.count:
        grain = state.grains[i]
        sound = sounds[grain.sound]
        pace = speed * (tuned if sound.pitched > 0.5 else 1.0) * grain.ratio
        step_s = pace / RATE
        begin = grain.offset
        grain.offset = 0
        if grain.copy < 0 or speed > state.speed:
            # a grain keeps its copy when slowed, but never reads one too full for its speed
            wanted = copy_for(abs(step_s) * RATE, sound.octaves_up, copies.shape[1])
            grain.copy = max(grain.copy, wanted)
        reach = 0.0 if turns == 0 else (1.0 if turns == 1 else pace)
        _add_from_copy(bus, sound, copies, grain, begin, step_s, shift, reach, weights, index)
        if hold:
            _add_from_copy(still, sound, copies, grain, begin, step_s, shift, 0.0, weights, index)
        moved = TICK - begin
        grain.place += moved * step_s
        if turns == 2:
            grain.place += pace * shift[TICK]
        grain.age += moved
        if grain.age >= grain.length:
            state.count -= 1
            state.grains[i] = state.grains[state.count]
        else:
            i += 1
    state.speed = speed


@borrowing
def render_cloud(
    first, step, out, still, moved, turns, hold, voices, parts, chosen, own, now, pitches,
    sounds, copies, path, seed, layer, retune, scratch,
):  # fmt: skip
    """Fill the signals of a cloud layer for some of the voices; see :mod:`.sources`.

    Behind the drawn path, ``path`` holds the segments that grains may be chosen from.
    """
    weights = scratch[first].weights
    index = scratch[first].index
    shift = scratch[first].shift
    tuned = 2.0 ** (retune / 12.0)
    course, likeness = path[:PATH_STEPS], path[PATH_STEPS:]
    for v in range(first, len(voices), step):
        part, voice, state = parts[v], voices[v], own[v]
        if part.ticks == 0:
            continue
        key = chance_key(np.uint64(seed), voice.serial, np.uint64(layer))
        if state.serial != voice.serial:
            _begin(state, voice.serial)
        out[v, : 2 * TICK * part.ticks] = np.float32(0.0)
        if hold:
            still[v, : 2 * TICK * part.ticks] = np.float32(0.0)
        # one voice's ticks in a row: its grains stay in the fastest cache
        for tick in range(part.ticks):
            s = now[v, tick]
            note = played_note(s, pitches[v, tick])
            speed = 2.0 ** ((note - 60.0) / 12.0)
            main = sounds[chosen[v].first]
            share = _centre(state, s, main.seconds, course) / main.seconds
            segments = likeness if s.gather > 0.5 else likeness[:0]
            part.position = share
            if turns > 0:
                shifts(shift, moved[v, tick * TICK :], turns, main.root)
            if voice.state != DYING:
                _begin_grains(state, s, chosen[v], key, share, note, sounds, segments, retune)
                if len(segments) > 0:
                    part.position = state.place
            at = 2 * tick * TICK
            _sound_grains(out[v, at : at + 2 * TICK], still[v, at : at + 2 * TICK], state, sounds,
                          copies, speed, tuned, shift, turns, hold, weights, index)  # fmt: skip
        part.sound = max(state.last, 0)
