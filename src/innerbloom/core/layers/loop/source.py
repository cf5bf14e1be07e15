"""Source of the *loop* layer: read-heads in sounds, with loops that may move while they sound.

Two readers take turns: to jump, one fades out where it was while the other fades in at the new
place (see :mod:`.readers`). Loop points are looked at only when a jump is due, so moving them
makes no click.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing, inlined
from innerbloom.core.declare.parameters import option
from innerbloom.core.dsp.chance import chance_key
from innerbloom.core.dsp.rates import RATE, TICK, TICK_S
from innerbloom.core.dsp.state import RELEASED
from innerbloom.core.dsp.taps import Taps
from innerbloom.core.layers.kind import LINK_PHASE, LINK_RATE
from innerbloom.core.layers.loop.parameters import LOOP
from innerbloom.core.layers.loop.readers import (
    HOP,
    SOFT_FRAMES,
    Reading,
    add_reader,
    advance,
    alike_place,
    jump,
    likeness,
)
from innerbloom.core.layers.loop.strands import (
    CATCH_UP,
    begin_loop,
    settle_strands,
    strike_again,
)
from innerbloom.core.layers.reading import (
    SHIFT_SCRATCH,
    TAP_SCRATCH,
    end_layer_voice,
    mip_level_for,
    on_path,
    played_note,
    root_of,
    shifts,
)
from innerbloom.core.layers.shared import PATH

LOOP_SCRATCH = np.dtype([*TAP_SCRATCH, *SHIFT_SCRATCH], align=True)

_WITH_PITCH, _ON_PATH = option(LOOP, "motion", "with pitch"), option(LOOP, "motion", "path")
_SYNCED = option(LOOP, "sync", "with the note")
_LINEAR = option(LOOP, "curve", "linear")
_PLAY_ON = option(LOOP, "at_release", "play on")
_LOOPED = option(PATH, "path_end", "looped")
_OFF, _FORWARD = option(LOOP, "loop", "off"), option(LOOP, "loop", "forward")
_BACKWARD, _BOTH = option(LOOP, "loop", "backward"), option(LOOP, "loop", "back-and-forth")

_SHORTEST_S = 1.0 / RATE


class _Loop(NamedTuple):
    """The loop as it lies now, in seconds, and whether it is followed."""

    start: float
    length: float
    seconds: float
    looping: bool


class _Pace(NamedTuple):
    """Seconds of recording a frame, and frames of the note's period."""

    step_s: float
    period: float


class _Course(NamedTuple):
    """How a tick of a voice is read.

    note, reference : float
        Note number, and semitones of the reference pitch above A4 = 440 Hz.
    looping : bool
    age : float
        Seconds since the note began.
    path : float64 array, shape (PATH_STEPS,)
    shift : float64 array, shape (TICK + 1,)
    """

    note: float
    reference: float
    looping: bool
    age: float
    path: NDArray[np.float64]
    shift: NDArray[np.float64]


@borrowing
def _bounds(s, sound):
    """Start and length of the loop in seconds, inside the sound."""
    length = min(max(s.loop_length * 0.001, _SHORTEST_S), sound.seconds)
    start = min(s.loop_start * 0.01 * sound.seconds, sound.seconds - length)
    return start, length


@borrowing
def _fade_s(s, loop, step_s):
    """Seconds of the crossfade, as far as there is material for it outside the loop."""
    room = loop.start if s.loop == _FORWARD else loop.seconds - loop.start - loop.length
    least = min(SOFT_FRAMES * step_s, 0.25 * loop.length)
    return min(max(s.crossfade * 0.01 * loop.length, least), room, loop.length)


@borrowing
def _follow_loop(strand, s, sound, levels, loop, step_s):
    """Jump or turn where the reader has come to the loop's end; gives whether it may go on."""
    reader, start, length = strand.readers[0], loop.start, loop.length
    end = start + length
    if s.loop == _BOTH:
        if reader.back == 0 and reader.place >= end:
            reader.back = 1
            reader.place = max(2.0 * end - reader.place, start)
        elif reader.back == 1 and reader.place <= start:
            reader.back = 0
            reader.place = min(2.0 * start - reader.place, end)
        return
    fade = _fade_s(s, loop, step_s)
    linear = 1 if s.curve == _LINEAR else 0
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
        frames, linear = max(frames, min(CATCH_UP, length / step_s)), 1
    away = -turns * length if s.loop == _FORWARD else turns * length
    if strand.readers[1].on == 0:
        like = likeness(sound, levels, strand, reader.place + away, step_s, frames)
        jump(strand, reader.place + away, reader.back, frames, linear, like)


@borrowing
def _until_loop(strand, s, loop, step_s):
    """Frames until the reader has to be looked at again because of the loop."""
    reader, start = strand.readers[0], loop.start
    end = start + loop.length
    if s.loop == _BOTH or (s.loop == _BACKWARD and reader.back == 0):
        left = end - reader.place if reader.back == 0 else reader.place - start
    else:
        fade = _fade_s(s, loop, step_s)
        left = end - fade - reader.place if s.loop == _FORWARD else reader.place - start - fade
    return left / step_s


@borrowing
def _move_head(strand, s, loop, frames, course):
    """The read-head apart from pitch, so many frames on."""
    if s.motion == _ON_PATH:
        looped = s.path_end == _LOOPED
        strand.head = on_path(course.path, course.age, s.path_time, looped) * loop.seconds
        return
    back = -1.0 if strand.back == 1 else 1.0
    strand.head += back * s.speed * frames / RATE
    if not loop.looping:
        return
    start, length = loop.start, loop.length
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
def _jumps_due(strand, s, sound, levels, loop, pace):
    """Make the jumps that are due at this frame."""
    if s.motion != _WITH_PITCH:
        if strand.until_hop <= 0.0:
            aim = alike_place(sound, levels, strand.readers[0], strand.head)
            like = likeness(sound, levels, strand, aim, pace.step_s, HOP)
            if jump(strand, aim, 0, HOP, 1, like):
                strand.until_hop += HOP
            else:
                strand.until_hop = 1.0
        return
    if s.sync == _SYNCED and strand.synced >= 1.0:
        strand.synced -= 1.0
        since = strand.synced * pace.period * pace.step_s
        jump(strand, loop.start + since, 0, min(SOFT_FRAMES, 0.25 * pace.period), 1, 1.0)
    elif loop.looping:
        _follow_loop(strand, s, sound, levels, loop, pace.step_s)


@borrowing
def _frames_to_look(strand, s, loop, pace, left):
    """Frames that can be read in one go."""
    ahead = float(left)
    if s.motion != _WITH_PITCH:
        ahead = min(ahead, strand.until_hop)
    else:
        if s.sync == _SYNCED:
            ahead = min(ahead, (1.0 - strand.synced) * pace.period)
        if loop.looping and strand.readers[1].on == 0:
            ahead = min(ahead, _until_loop(strand, s, loop, pace.step_s))
    if strand.readers[1].on == 1:
        ahead = min(ahead, strand.readers[1].gain / -strand.readers[1].slope)
    if strand.readers[0].gain < 1.0:
        ahead = min(ahead, (1.0 - strand.readers[0].gain) / strand.readers[0].slope)
    return min(left, max(1, np.int64(math.ceil(ahead - 1e-9))))


@borrowing
def _strand_tick(bus, unmodulated, strand, s, played, signals, course, taps):
    """One tick of one strand. Gives whether it has come to the end of its sound.

    ``bus`` and ``unmodulated`` are the tick's own frames of the signals.
    """
    sound, levels, link = played.sounds[strand.sound], played.levels[strand.sound], signals.link
    note_hz = 440.0 * 2.0 ** ((course.note + course.reference - 69.0) / 12.0)
    speed = 2.0 ** ((course.note - root_of(sound, course.reference)) / 12.0)
    if s.sync == _SYNCED:
        speed *= 2.0 ** (s.sync_detune / 1200.0)
    pace = _Pace(speed / RATE, RATE / note_hz)
    start, length = _bounds(s, sound)
    loop = _Loop(start, length, sound.seconds, course.looping)
    reach = 0.0 if link == 0 else (1.0 if link == LINK_PHASE else speed)
    level = levels[mip_level_for(speed, sound.octaves_up, len(levels))]
    moved = Reading(sound, level, pace.step_s, strand.gain, course.shift, reach)
    still = Reading(sound, level, pace.step_s, strand.gain, course.shift, 0.0)
    at = 0
    while at < TICK:
        _jumps_due(strand, s, sound, levels, loop, pace)
        frames = _frames_to_look(strand, s, loop, pace, TICK - at)
        for i in range(2):
            reader = strand.readers[i]
            if reader.on == 1:
                add_reader(bus, reader, moved, at, frames, taps)
                if signals.hold:
                    add_reader(unmodulated, reader, still, at, frames, taps)
        advance(strand, frames, pace.step_s)
        strand.until_hop -= frames
        strand.synced += frames / pace.period
        if s.motion != _WITH_PITCH:
            _move_head(strand, s, loop, frames, course)
        at += frames
    if link == LINK_RATE:
        for i in range(2):
            strand.readers[i].place += speed * course.shift[TICK]
    return _is_over(strand, s, loop)


@borrowing
def _is_over(strand, s, loop):
    """Whether the strand has come to the end of its sound."""
    if s.motion == _WITH_PITCH:
        strand.head = strand.readers[0].place
    if s.motion == _ON_PATH:
        return False
    past = strand.head > loop.seconds or strand.head < 0.0
    return past and not loop.looping and s.sync != _SYNCED


@inlined
def _sound_strands(state, s, v, at, played, signals, course, taps):
    """A tick of both strands; gives which is the louder, and how many have nothing to sound."""
    bus, unmodulated = (
        signals.out[v, at : at + 2 * TICK],
        signals.unmodulated[v, at : at + 2 * TICK],
    )
    over, shown = 0, 0
    for i in range(2):
        strand = state.strands[i]
        if strand.sound < 0 or strand.gain <= 0.0:
            over += 1
            continue
        if strand.gain >= state.strands[shown].gain:
            shown = i
        if _strand_tick(bus, unmodulated, strand, s, played, signals, course, taps):
            over += 1
    return shown, over


@borrowing
def render_loop(span, voices, layer, played, signals, scratch):
    """Fill the signals of a loop layer for some of the voices; see :class:`.LayerKind`."""
    room = scratch[span.first]
    taps, sounds = Taps(room.weights, room.index), played.sounds
    for v in range(span.first, len(voices.records), span.step):
        layer_voice, voice, state = layer.voices[v], voices.records[v], layer.own[v]
        if layer_voice.ticks == 0:
            continue
        key = chance_key(span.seed, voice.serial, np.uint64(layer.number))
        if state.serial != voice.serial:
            begin_loop(state, voice)
        signals.out[v, : 2 * TICK * layer_voice.ticks] = np.float32(0.0)
        if signals.hold:
            signals.unmodulated[v, : 2 * TICK * layer_voice.ticks] = np.float32(0.0)
        for tick in range(layer_voice.ticks):
            s = layer.settings[v, tick]
            settle_strands(state, s, layer.zones[v], sounds, key)
            if state.trigger != voice.trigger:
                state.trigger = voice.trigger
                strike_again(state, s, sounds, key)
            if signals.link > 0:
                root = sounds[max(state.strands[0].sound, 0)].root
                shifts(room.shift, signals.modulation[v, tick * TICK :], signals.link, root)
            let_out = s.at_release == _PLAY_ON and voice.state == RELEASED
            note = played_note(s, voices.pitches[v, tick])
            course = _Course(
                note,
                span.reference[tick],
                s.loop != _OFF and not let_out,
                state.age,
                played.path,
                room.shift,
            )
            shown, over = _sound_strands(
                state, s, v, 2 * tick * TICK, played, signals, course, taps
            )
            state.age += TICK_S
            strand = state.strands[shown]
            layer_voice.sound = max(strand.sound, 0)
            seconds = sounds[layer_voice.sound].seconds
            layer_voice.position = min(max(strand.head / seconds, 0.0), 1.0)
            if over == 2:
                end_layer_voice(layer_voice, tick)
