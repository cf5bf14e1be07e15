"""Source of the *wave* layer: plain waves and wavetables, band-limited at every pitch.

A note has up to MOST_OSCILLATORS of them, detuned and spread (unison). Where the phase is bent
or restarted they are made at the fine rate, see :mod:`.fine`.
"""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing, inlined
from innerbloom.core.declare.parameters import option
from innerbloom.core.dsp.chance import chance_key, uniform
from innerbloom.core.dsp.memory import samples_at
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.dsp.state import FINE, FINE_TAPS, WAVE_TICK
from innerbloom.core.layers.kind import LINK_PHASE
from innerbloom.core.layers.reading import TAP_SCRATCH, played_note
from innerbloom.core.layers.wave.fine import (
    add_fine,
    bring_back,
    fine_phases,
    soften_restarts,
)
from innerbloom.core.layers.wave.oscillator import Motion, Table, add_wave, level_for
from innerbloom.core.layers.wave.parameters import MOST_OSCILLATORS, WAVE

_EACH = (MOST_OSCILLATORS,)
WAVE_STATE = np.dtype(
    [
        ("serial", np.uint64),
        ("phase", np.float64, _EACH),  # periods
        ("step", np.float64, _EACH),  # periods a frame at the end of the last tick
        ("level", np.int64, _EACH),
        ("wrapped", np.int64, _EACH),  # whether it has come round since it began
        ("left", np.float64, _EACH),  # gains at the end of the last tick
        ("right", np.float64, _EACH),
        ("frame", np.float64),
        ("width", np.float64),
        ("bent", np.int64),  # whether it is made at the fine rate
        ("earlier", np.float64),  # the last of what moved it
        ("least", np.float64),  # least and greatest step of what moves it, held for a while
        ("most", np.float64),
        ("memory", np.float32, (4, FINE_TAPS)),  # left and right, moved and still
    ],
    align=True,
)
"""The waves of one voice."""

_FINE_LINE = (FINE_TAPS + FINE * TICK,)
WAVE_SCRATCH = np.dtype(
    [
        *TAP_SCRATCH,
        ("between", np.float32, (TICK,)),
        ("phases", np.float64, (TICK,)),
        ("plain", np.float64, (TICK,)),  # phases as they are unmodulated
        ("wave", WAVE_TICK),
        ("pitches", np.float64, _EACH),
        ("lefts", np.float64, _EACH),
        ("rights", np.float64, _EACH),
        ("fine", np.float32, (FINE * TICK,)),
        ("fine_phases", np.float64, (FINE * TICK,)),
        ("fine_turned", np.float64, (FINE * TICK,)),
        ("fine_weights", np.float32, (4 * FINE * TICK + 4,)),
        ("fine_index", np.int32, (FINE * TICK + 1,)),
        ("fine_shares", np.float32, (FINE * TICK,)),
        ("fine_left", np.float32, _FINE_LINE),
        ("fine_right", np.float32, _FINE_LINE),
        ("still_left", np.float32, _FINE_LINE),
        ("still_right", np.float32, _FINE_LINE),
    ],
    align=True,
)
"""Room for a tick of the waves of one voice."""

_PULSE = option(WAVE, "shape", "pulse")
_WITH_NOTE = option(WAVE, "sync", "with the note")
_GOES_ON = option(WAVE, "begins", "where it was")
_TURN = 1.0 / (2.0 * math.pi)
_KEPT = 0.98
"""Share of the widest steps of a moved phase that is left after a tick (time constant 66 ms)."""

_FRAMES = np.uint64(TICK)
_MANY = np.uint64(FINE * TICK)


class _Wave(NamedTuple):
    """What is read: a table, and its mip levels."""

    table: Any
    levels: NDArray[Any]


class _Target(NamedTuple):
    """Where a tick of a voice goes: signals as :class:`.Signals` has them, and its first frame."""

    out: NDArray[np.float32]
    unmodulated: NDArray[np.float32]
    at: int
    hold: bool


@borrowing
def _phases(room, start, motion, least, most):
    """Where a wave is at each frame of a tick; gives the widest move, and where it ends.

    ``room.phases`` is filled with the phases, ``room.plain`` with what they are unmodulated.
    ``least`` and ``most`` are the steps that a moved phase takes, see :func:`_hold_steps`.
    """
    phases, still, modulation = room.phases, room.plain, motion.modulation
    step, moved_step = motion.step, motion.to_step
    slope = (moved_step - step) / TICK
    end = start + TICK * (step + 0.5 * slope * (TICK + 1.0))
    for i in range(_FRAMES):
        # unsigned numbers become floats one by one only
        far = np.float64(np.int32(i))
        phases[i] = still[i] = start + far * (step + 0.5 * slope * (far + 1.0))
    if motion.link == 0:
        return max(step, moved_step), end
    if motion.link == LINK_PHASE:
        for i in range(_FRAMES):
            phases[i] += modulation[i] * _TURN
        return max(max(step, moved_step) + most, -(min(step, moved_step) + least)), end
    end = _at_moved_rate(phases, start, step, slope, modulation)
    widest = max(step, moved_step)
    for i in range(_FRAMES - np.uint64(1)):
        widest = max(widest, abs(phases[i + np.uint64(1)] - phases[i]))
    return widest, end


@borrowing
def _hold_steps(state, modulation):
    """Least and greatest step that a moved phase takes, in periods.

    They are let go slowly, so that a level is not changed with every swing: that would be heard,
    and costs twice.
    """
    least, most = _KEPT * state.least / _TURN, _KEPT * state.most / _TURN
    for i in range(_FRAMES - np.uint64(1)):
        step = modulation[i + np.uint64(1)] - modulation[i]
        least, most = min(least, step), max(most, step)
    state.least, state.most = least * _TURN, most * _TURN


@borrowing
def _at_moved_rate(phases, start, step, slope, modulation):
    phase = start
    for i in range(TICK):
        phases[i] = phase
        phase += (step + slope * (i + 1)) * (1.0 + modulation[i])
    return phase


@borrowing
def _plain(into, phases, wave, old_level, level, room):
    """A tick of one wave, crossing over where the level has changed."""
    table, levels = wave.table, wave.levels
    into[:TICK] = np.float32(0.0)
    if old_level < 0 or old_level == level:
        add_wave(into, _FRAMES, phases, table, levels[level], (1.0, 0.0), room)
        return
    add_wave(into, _FRAMES, phases, table, levels[old_level], (1.0, -1.0 / TICK), room)
    add_wave(into, _FRAMES, phases, table, levels[level], (0.0, 1.0 / TICK), room)


@borrowing
def _fine(into, wave, old_level, level, room):
    """The same at the fine rate."""
    table, levels = wave.table, wave.levels
    into[:] = np.float32(0.0)
    if old_level < 0 or old_level == level:
        add_fine(into, table, levels[level], (1.0, 0.0), room)
        return
    slope = 1.0 / (FINE * TICK)
    add_fine(into, table, levels[old_level], (1.0, -slope), room)
    add_fine(into, table, levels[level], (0.0, slope), room)


@borrowing
def _mix(out, at, one, left, right, to_left, to_right):
    """Add a mono tick to stereo frames, gains moving straight."""
    rise_l, rise_r = np.float32((to_left - left) / TICK), np.float32((to_right - right) / TICK)
    gain_l, gain_r = np.float32(left), np.float32(right)
    first = np.uint64(2 * at)
    for i in range(_FRAMES):
        far = np.float32(i) + np.float32(1.0)
        k = first + np.uint64(2) * i
        out[k] += (gain_l + rise_l * far) * one[i]
        out[k + np.uint64(1)] += (gain_r + rise_r * far) * one[i]


@borrowing
def _mix_fine(left_into, right_into, one, left, right, to_left, to_right):
    """The same for fine samples, left and right apart."""
    many = FINE * TICK
    rise_l, rise_r = np.float32((to_left - left) / many), np.float32((to_right - right) / many)
    gain_l, gain_r = np.float32(left), np.float32(right)
    first = np.uint64(FINE_TAPS)
    for i in range(_MANY):
        far = np.float32(i) + np.float32(1.0)
        left_into[first + i] += (gain_l + rise_l * far) * one[i]
        right_into[first + i] += (gain_r + rise_r * far) * one[i]


@borrowing
def _spread(s, count, room):
    """Each oscillator's share of the pitch, and its gains by constant power, into ``room``.

    Places are even, so that pitches and angles are counted on from the first.
    """
    last = max(count - 1, 1)
    first = -1.0 if count > 1 else 0.0
    ratio = 2.0 ** (first * s.unison_detune / 1200.0)
    up = 2.0 ** (2.0 * s.unison_detune / (1200.0 * last))
    reach = 0.01 * s.unison_width * math.pi * 0.25
    angle, turn = math.pi * 0.25 + first * reach, 2.0 * reach / last
    level = math.sqrt(2.0 / count)
    left, right = level * math.cos(angle), level * math.sin(angle)
    along, across = math.cos(turn), math.sin(turn)
    for u in range(MOST_OSCILLATORS):
        sounds = 1.0 if u < count else 0.0
        room.pitches[u] = ratio
        room.lefts[u], room.rights[u] = sounds * left, sounds * right
        ratio *= up
        left, right = left * along - right * across, right * along + left * across


@borrowing
def _begin(state, voice, s, key, pace):
    """A note begins."""
    first_note = state.serial == np.uint64(0)
    state.serial = voice.serial
    for u in range(MOST_OSCILLATORS):
        start = 0.01 * (s.phase + s.phase_scatter * uniform(key, np.uint64(u)))
        if u > 0:
            # together they would begin with a burst
            start += uniform(key, np.uint64(MOST_OSCILLATORS + u))
        if s.begins != _GOES_ON or first_note:
            state.phase[u] = start
        state.step[u] = pace
        state.level[u] = -1
        state.wrapped[u] = 0
        state.left[u] = state.right[u] = -1.0
    state.bent = 0
    state.earlier = state.least = state.most = 0.0
    state.memory[:] = np.float32(0.0)


@borrowing
def _put_tick(now, s, state, frame, width):
    """What all waves of a voice share in a tick."""
    now.frame, now.to_frame = state.frame, frame
    now.width, now.to_width = state.width, width
    now.pulse = 1 if s.shape == _PULSE else 0
    now.sync = 1 if s.sync == _WITH_NOTE else 0
    now.ratio = 2.0 ** (s.sync_detune / 1200.0)
    now.lean, now.squeeze, now.mirror = 0.01 * s.lean, 0.01 * s.squeeze, 0.01 * s.mirror


@borrowing
def _is_bent(now):
    """Whether a wave has to be made at the fine rate."""
    return now.sync == 1 or now.lean != 0.0 or now.squeeze != 0.0 or now.mirror != 0.0


@borrowing
def _sound_plain(target, u, wave, state, motion, gains, leaves, room):
    """A tick of one wave as it is; gives where its phase ends. It fades out where it ``leaves``."""
    at, (left, right) = target.at, gains
    widest, end = _phases(room, state.phase[u], motion, state.least, state.most)
    to_left, to_right = (0.0, 0.0) if leaves else (room.lefts[u], room.rights[u])
    level = level_for(widest)
    _plain(room.between, room.phases, wave, state.level[u], level, room)
    _mix(target.out, at, room.between, left, right, to_left, to_right)
    if target.hold:
        before, after = level_for(motion.step), level_for(motion.to_step)
        _plain(room.between, room.plain, wave, before, after, room)
        _mix(target.unmodulated, at, room.between, left, right, to_left, to_right)
    if not leaves:
        state.level[u] = level
    return end


@borrowing
def _sound_fine(u, wave, state, motion, gains, hold, joins, room):
    """The same at the fine rate, into ``room``: as it is moved and, where ``hold``, as it is
    not."""
    one, start, end = room.fine, state.phase[u], state.phase[u]
    left, right = gains
    moved_level = state.level[u]
    for way in range(2 if hold else 1):
        unmodulated = way == 1
        link = 0 if unmodulated else motion.link
        widest, place = fine_phases(room, start, motion, state.earlier, link)
        level = level_for(widest)
        _fine(one, wave, -1 if unmodulated or joins else state.level[u], level, room)
        if room.wave.sync == 1 and link == 0:
            soften_restarts(
                one, wave.table, wave.levels[level], room, start, motion, state.wrapped[u]
            )
        if unmodulated:
            _mix_fine(
                room.still_left, room.still_right, one, left, right, room.lefts[u], room.rights[u]
            )
        else:
            end, moved_level = place, level
            _mix_fine(
                room.fine_left, room.fine_right, one, left, right, room.lefts[u], room.rights[u]
            )
    state.level[u] = moved_level
    return end


@borrowing
def _bring_all_back(target, state, joins, room):
    """What was made at the fine rate, brought back and added; fading in where it ``joins``."""
    ramp = (0.0, 1.0 / TICK) if joins else (1.0, 0.0)
    at = target.at
    bring_back(target.out, at, 0, room.fine_left, state.memory[0], ramp)
    bring_back(target.out, at, 1, room.fine_right, state.memory[1], ramp)
    if target.hold:
        bring_back(target.unmodulated, at, 0, room.still_left, state.memory[2], ramp)
        bring_back(target.unmodulated, at, 1, room.still_right, state.memory[3], ramp)
    state.bent = 1


@borrowing
def _clear_fine(room):
    room.fine_left[:] = room.fine_right[:] = np.float32(0.0)
    room.still_left[:] = room.still_right[:] = np.float32(0.0)


@inlined
def _tick(target, wave, s, state, pace, modulation, link, room):
    """A tick of all waves of a voice: as they are, or at the fine rate.

    Once bent, a note stays at the fine rate to its end, since the low-pass delays it.
    """
    fine = _is_bent(room.wave) or state.bent == 1
    joins = fine and state.bent == 0 and state.left[0] >= 0.0
    if fine:
        _clear_fine(room)
    count = min(max(np.int64(s.unison), 1), MOST_OSCILLATORS)
    _spread(s, count, room)
    if link == LINK_PHASE:
        _hold_steps(state, modulation)
    for u in range(MOST_OSCILLATORS):
        fresh = state.left[u] < 0.0
        left = room.lefts[u] if fresh else state.left[u]
        right = room.rights[u] if fresh else state.right[u]
        state.left[u], state.right[u] = room.lefts[u], room.rights[u]
        if u >= count and left == 0.0 and right == 0.0:
            continue
        own = pace * room.pitches[u]
        # one that joins in begins at its own pitch
        step = own if fresh or left == right == 0.0 else state.step[u]
        motion, end = Motion(step, own, modulation, link), 0.0
        if not fine or joins:
            end = _sound_plain(target, u, wave, state, motion, (left, right), joins, room)
        if fine:
            end = _sound_fine(u, wave, state, motion, (left, right), target.hold, joins, room)
        if end >= 1.0:
            state.wrapped[u] = 1
        state.phase[u] = end - math.floor(end)
        state.step[u] = own
    if fine:
        _bring_all_back(target, state, joins, room)
    state.earlier = modulation[TICK - 1]


@borrowing
def render_wave(span, voices, layer, played, signals, scratch):
    """Fill the signals of a wave layer for some of the voices; see :class:`.LayerKind`."""
    room, sound = scratch[span.first], played.sounds[0]
    wave = _Wave(Table(samples_at(sound.address, sound.samples), sound), played.levels[0])
    for v in range(span.first, len(voices.records), span.step):
        layer_voice, voice, state = layer.voices[v], voices.records[v], layer.own[v]
        for tick in range(layer_voice.ticks):
            s, at = layer.settings[v, tick], tick * TICK
            note = played_note(s, voices.pitches[v, tick]) + span.reference[tick]
            pace = 440.0 * 2.0 ** ((note - 69.0) / 12.0) / RATE
            frame = s.frame * 0.01 * (sound.frames - 1)
            width = s.width * 0.01
            if state.serial != voice.serial:
                key = chance_key(span.seed, voice.serial, np.uint64(layer.number))
                _begin(state, voice, s, key, pace)
                state.frame, state.width = frame, width
            signals.out[v, 2 * at : 2 * at + 2 * TICK] = np.float32(0.0)
            if signals.hold:
                signals.unmodulated[v, 2 * at : 2 * at + 2 * TICK] = np.float32(0.0)
            _put_tick(room.wave, s, state, frame, width)
            target = _Target(signals.out[v], signals.unmodulated[v], at, signals.hold)
            _tick(target, wave, s, state, pace, signals.modulation[v, at:], signals.link, room)
            state.frame, state.width = frame, width
            layer_voice.position = frame / max(sound.frames - 1, 1)
