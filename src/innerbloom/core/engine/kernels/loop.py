"""Source of the *loop* layer: read-heads in sounds, with loops that may move while they sound.

Two readers take turns: to jump, one fades out where it was while the other fades in at the new
place (see :mod:`.readers`). Loop points are looked at only when a jump is due, so moving them
makes no click.
"""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.engine.kernels.chance import chance_key, two_sided
from innerbloom.core.engine.kernels.readers import (
    HOP,
    SOFT_FRAMES,
    STRAND,
    add_reader,
    advance,
    alike_place,
    begin_strand,
    jump,
)
from innerbloom.core.engine.kernels.reading import (
    RATE,
    copy_for,
    end_part,
    on_path,
    played_note,
    root_of,
    shifts,
)
from innerbloom.core.engine.state import RELEASED, TICK
from innerbloom.core.instrument.kind_parameters import CHOOSING, LOOP
from innerbloom.core.instrument.parameters import option

LOOP_STATE = np.dtype(
    [("serial", np.uint64), ("trigger", np.int64), ("age", np.float64), ("counter", np.uint64),
     ("strands", STRAND, (2,))],
    align=True,
)  # fmt: skip
"""A loop of one voice: two strands, for two sounds that blend."""

_SPEED, _PATH = option(LOOP, "motion", "speed"), option(LOOP, "motion", "path")
_OFF, _FORWARD = option(LOOP, "loop", "off"), option(LOOP, "loop", "forward")
_BACKWARD, _BOTH = option(LOOP, "loop", "backward"), option(LOOP, "loop", "back-and-forth")
_BY_CONTROL = option(CHOOSING, "choose", "control")

_SHORTEST_S = 1.0 / 48_000.0
_CATCH_UP = 0.004 * RATE
"""Frames of fade where a loop point has moved past the reader."""


@borrowing
def _bounds(s, sound):
    """Start and length of the loop in seconds, inside the sound."""
    length = min(max(s.loop_length * 0.001, _SHORTEST_S), sound.seconds)
    start = min(s.loop_start * 0.01 * sound.seconds, sound.seconds - length)
    return start, length


@borrowing
def _fade_s(s, start, length, seconds, step_s):
    """Seconds of the crossfade, as far as there is material for it outside the loop."""
    room = start if s.loop == _FORWARD else seconds - start - length
    least = min(SOFT_FRAMES * step_s, 0.25 * length)
    return min(max(s.crossfade * 0.01 * length, least), room, length)


@borrowing
def _follow_loop(strand, s, start, length, seconds, step_s):
    """Jump or turn where the reader has come to the loop's end; gives whether it may go on."""
    reader = strand.readers[0]
    end = start + length
    if s.loop == _BOTH:
        if reader.back == 0 and reader.place >= end:
            reader.back = 1
            reader.place = max(2.0 * end - reader.place, start)
        elif reader.back == 1 and reader.place <= start:
            reader.back = 0
            reader.place = min(2.0 * start - reader.place, end)
        return
    fade = _fade_s(s, start, length, seconds, step_s)
    linear = 1 if s.curve > 0.5 else 0
    if s.loop == _BACKWARD and reader.back == 0:
        if reader.place >= end:
            reader.back = 1
            reader.place = max(2.0 * end - reader.place, start)
        return
    over = reader.place - (end - fade) if s.loop == _FORWARD else start + fade - reader.place
    if over < 0.0:
        return
    turns = math.floor(over / length) + 1.0
    frames = fade / step_s
    if over > 2.0 * step_s + 1e-9:
        # the points have moved: cross over quickly, wherever the reader is
        frames, linear = max(frames, min(_CATCH_UP, length / step_s)), 1
    away = -turns * length if s.loop == _FORWARD else turns * length
    jump(strand, reader.place + away, reader.back, frames, linear)


@borrowing
def _until_loop(strand, s, start, length, seconds, step_s):
    """Frames until the reader has to be looked at again because of the loop."""
    reader = strand.readers[0]
    end = start + length
    if s.loop == _BOTH or (s.loop == _BACKWARD and reader.back == 0):
        left = end - reader.place if reader.back == 0 else reader.place - start
    else:
        fade = _fade_s(s, start, length, seconds, step_s)
        left = end - fade - reader.place if s.loop == _FORWARD else reader.place - start - fade
    return left / step_s


@borrowing
def _move_head(strand, s, start, length, seconds, looping, frames, age, path):
    """The read-head apart from pitch, so many frames on."""
    if s.motion == _PATH:
        strand.head = on_path(path, age, s.path_time, s.path_end > 0.5) * seconds
        return
    back = -1.0 if strand.back == 1 else 1.0
    strand.head += back * s.speed * frames / RATE
    if not looping:
        return
    end = start + length
    if s.loop == _FORWARD:
        if (s.speed >= 0.0 and strand.head >= end) or (s.speed < 0.0 and strand.head < start):
            strand.head = start + (strand.head - start) % length
    elif strand.head >= end and back * s.speed > 0.0:
        strand.back = 1 - strand.back
        strand.head = max(2.0 * end - strand.head, start)
    elif strand.head <= start and back * s.speed < 0.0:
        if s.loop == _BACKWARD:
            strand.head = end
        else:
            strand.back = 1 - strand.back
            strand.head = min(2.0 * start - strand.head, end)


@borrowing
def _jumps_due(strand, s, sound, copies, start, length, looping, step_s, period):
    """Make the jumps that are due at this frame."""
    if s.motion != 0.0:
        if strand.until_hop <= 0.0:
            aim = alike_place(sound, copies, strand.readers[0], strand.head)
            if jump(strand, aim, 0, HOP, 1):
                strand.until_hop += HOP
            else:
                strand.until_hop = 1.0
        return
    if s.sync > 0.5 and strand.synced >= 1.0:
        strand.synced -= 1.0
        since = strand.synced * period * step_s
        jump(strand, start + since, 0, min(SOFT_FRAMES, 0.25 * period), 1)
    elif looping:
        _follow_loop(strand, s, start, length, sound.seconds, step_s)


@borrowing
def _frames_to_look(strand, s, start, length, seconds, looping, step_s, period, left):
    """Frames that can be read in one go."""
    ahead = float(left)
    if s.motion != 0.0:
        ahead = min(ahead, strand.until_hop)
    else:
        if s.sync > 0.5:
            ahead = min(ahead, (1.0 - strand.synced) * period)
        if looping and strand.readers[1].on == 0:
            ahead = min(ahead, _until_loop(strand, s, start, length, seconds, step_s))
    if strand.readers[1].on == 1:
        ahead = min(ahead, strand.readers[1].gain / -strand.readers[1].slope)
    if strand.readers[0].gain < 1.0:
        ahead = min(ahead, (1.0 - strand.readers[0].gain) / strand.readers[0].slope)
    return min(left, max(1, np.int64(math.ceil(ahead - 1e-9))))


@borrowing
def _strand_tick(out, still, strand, s, sound, copies, note, retune, gain, looping, age, path,
                 shift, turns, hold, weights, index):  # fmt: skip
    """One tick of one strand. Gives whether it has come to the end of its sound."""
    note_hz = 440.0 * 2.0 ** ((note + retune - 69.0) / 12.0)
    period = RATE / note_hz
    speed = 2.0 ** ((note - root_of(sound, retune)) / 12.0)
    if s.sync > 0.5:
        speed *= 2.0 ** (s.sync_detune / 1200.0)
    step_s = speed / RATE
    start, length = _bounds(s, sound)
    reach = 0.0 if turns == 0 else (1.0 if turns == 1 else speed)
    copy = copies[copy_for(speed, sound.octaves_up, len(copies))]
    at = 0
    while at < TICK:
        _jumps_due(strand, s, sound, copies, start, length, looping, step_s, period)
        frames = _frames_to_look(strand, s, start, length, sound.seconds, looping, step_s, period,
                                 TICK - at)  # fmt: skip
        for i in range(2):
            reader = strand.readers[i]
            if reader.on == 1:
                add_reader(out, sound, copy, reader, at, frames, step_s, gain, shift, reach,
                           weights, index)  # fmt: skip
                if hold:
                    add_reader(still, sound, copy, reader, at, frames, step_s, gain, shift, 0.0,
                               weights, index)  # fmt: skip
        advance(strand, frames, step_s)
        strand.until_hop -= frames
        strand.synced += frames / period
        if s.motion != 0.0:
            _move_head(strand, s, start, length, sound.seconds, looping, frames, age, path)
        at += frames
    if turns == 2:
        for i in range(2):
            strand.readers[i].place += speed * shift[TICK]
    if s.motion == 0.0:
        strand.head = strand.readers[0].place
    past = strand.head > sound.seconds or strand.head < 0.0
    if s.motion == _PATH:
        return False
    return past and not looping and s.sync < 0.5


@borrowing
def _wanted_gains(state, s, chosen, count):
    """Which two sounds are wanted, and how much of the second, 0..1."""
    if s.choose == _BY_CONTROL and count > 1:
        place = s.choice * 0.01 * (count - 1)
        first = min(np.int64(place), count - 2)
        share = place - first
        if s.borders < 0.5:
            share = 1.0 if share >= 0.5 else 0.0
        return first, first + 1, share
    return chosen.first, chosen.second, chosen.share


@borrowing
def _settle_strands(state, s, chosen, sounds, key):
    """Move the strands' gains to what is wanted, and give silent strands to wanted sounds."""
    first, second, share = _wanted_gains(state, s, chosen, len(sounds))
    for i in range(2):
        strand, other = state.strands[i], state.strands[1 - i]
        for side in range(2):
            which = first if side == 0 else second
            level = 1.0 - share if side == 0 else share
            free = strand.gain <= 0.0 and strand.sound != which
            if level > 0.0 and free and other.sound != which:
                draw = two_sided(key, state.counter)
                state.counter += np.uint64(1)
                begin_strand(strand, s, sounds[which], which, draw)
    for i in range(2):
        strand = state.strands[i]
        level = 0.0
        if strand.sound == first:
            level = 1.0 - share
        elif strand.sound == second:
            level = share
        away = math.sqrt(level) - strand.gain
        # at the start of a note at once, later over 20 ms
        most = 1.0 if state.age == 0.0 else 0.07
        strand.gain += min(max(away, -most), most)


@borrowing
def render_loop(
    first, step, out, still, moved, turns, hold, voices, parts, chosen, own, now, pitches,
    sounds, copies, path, seed, layer, retune, scratch,
):  # fmt: skip
    """Fill the signals of a loop layer for some of the voices; see :mod:`.sources`."""
    shift = scratch[first].shift
    weights = scratch[first].weights
    index = scratch[first].index
    for v in range(first, len(voices), step):
        part, voice, state = parts[v], voices[v], own[v]
        if part.ticks == 0:
            continue
        key = chance_key(np.uint64(seed), voice.serial, np.uint64(layer))
        if state.serial != voice.serial:
            state.serial = voice.serial
            state.trigger = voice.trigger
            state.age = 0.0
            state.counter = np.uint64(0)
            for i in range(2):
                state.strands[i].sound = -1
                state.strands[i].gain = 0.0
        out[v, : 2 * TICK * part.ticks] = np.float32(0.0)
        if hold:
            still[v, : 2 * TICK * part.ticks] = np.float32(0.0)
        for tick in range(part.ticks):
            s = now[v, tick]
            _settle_strands(state, s, chosen[v], sounds, key)
            if state.trigger != voice.trigger:
                state.trigger = voice.trigger
                _strike_again(state, s, sounds, key)
            note = played_note(s, pitches[v, tick])
            looping = s.loop != _OFF and not (s.at_release > 0.5 and voice.state == RELEASED)
            if turns > 0:
                root = sounds[max(state.strands[0].sound, 0)].root
                shifts(shift, moved[v, tick * TICK :], turns, root)
            at = 2 * tick * TICK
            over, shown = 0, 0
            for i in range(2):
                strand = state.strands[i]
                if strand.sound < 0 or strand.gain <= 0.0:
                    over += 1
                    continue
                if strand.gain >= state.strands[shown].gain:
                    shown = i
                sound = sounds[strand.sound]
                if _strand_tick(out[v, at : at + 2 * TICK], still[v, at : at + 2 * TICK], strand,
                                s, sound, copies[strand.sound], note, retune, strand.gain,
                                looping, state.age, path, shift, turns, hold,
                                weights, index):  # fmt: skip
                    over += 1
            state.age += TICK / RATE
            strand = state.strands[shown]
            part.sound = max(strand.sound, 0)
            part.position = min(max(strand.head / sounds[part.sound].seconds, 0.0), 1.0)
            if over == 2:
                end_part(part, tick)


@borrowing
def _strike_again(state, s, sounds, key):
    """A new strike of the same voice begins the sound again, crossing over from where it was."""
    for i in range(2):
        strand = state.strands[i]
        if strand.sound >= 0 and strand.gain > 0.0:
            sound = sounds[strand.sound]
            draw = two_sided(key, state.counter)
            state.counter += np.uint64(1)
            place = (s.start + s.start_scatter * draw) * 0.01 * sound.seconds
            strand.head = min(max(place, 0.0), sound.seconds)
            jump(strand, strand.head, 0, _CATCH_UP, 1)
