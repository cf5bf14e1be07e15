"""Source of the *wave* layer: plain waves and wavetables, band-limited at every pitch.

A note has up to MOST_OSCILLATORS of them, detuned and spread (unison). Where the phase is bent
or restarted they are made at the fine rate, see :mod:`.fine`.
"""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.engine.kernels.chance import chance_key, uniform
from innerbloom.core.engine.kernels.fine import (
    add_fine,
    bring_back,
    fine_phases,
    soften_restarts,
)
from innerbloom.core.engine.kernels.memory import samples_at
from innerbloom.core.engine.kernels.oscillator import add_wave, level_for
from innerbloom.core.engine.kernels.reading import RATE, played_note
from innerbloom.core.engine.state import FINE, FINE_TAPS, TICK
from innerbloom.core.instrument.kind_parameters import MOST_OSCILLATORS, WAVE
from innerbloom.core.instrument.parameters import option

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

_PULSE = option(WAVE, "shape", "pulse")
_WITH_NOTE = option(WAVE, "sync", "with the note")
_GOES_ON = option(WAVE, "begins", "where it was")
_TURN = 1.0 / (2.0 * math.pi)
_KEPT = 0.98
"""Share of the widest steps of a moved phase that is left after a tick (time constant 66 ms)."""

_FRAMES = np.uint64(TICK)
_MANY = np.uint64(FINE * TICK)


@borrowing
def _phases(phases, start, step, moved_step, moved, turns, still, least, most):
    """Where a wave is at each frame of a tick; gives the widest move, and where it ends.

    ``least`` and ``most`` are the steps that a moved phase takes, see :func:`_hold_steps`.
    """
    slope = (moved_step - step) / TICK
    end = start + TICK * (step + 0.5 * slope * (TICK + 1.0))
    for i in range(_FRAMES):
        # unsigned numbers become floats one by one only
        far = np.float64(np.int32(i))
        phases[i] = still[i] = start + far * (step + 0.5 * slope * (far + 1.0))
    if turns == 0:
        return max(step, moved_step), end
    if turns == 1:
        for i in range(_FRAMES):
            phases[i] += moved[i] * _TURN
        return max(max(step, moved_step) + most, -(min(step, moved_step) + least)), end
    end = _at_moved_rate(phases, start, step, slope, moved)
    widest = max(step, moved_step)
    for i in range(_FRAMES - np.uint64(1)):
        widest = max(widest, abs(phases[i + np.uint64(1)] - phases[i]))
    return widest, end


@borrowing
def _hold_steps(state, moved):
    """Least and greatest step that a moved phase takes, in periods.

    They are let go slowly, so that a level is not changed with every swing: that would be heard,
    and costs twice.
    """
    least, most = _KEPT * state.least / _TURN, _KEPT * state.most / _TURN
    for i in range(_FRAMES - np.uint64(1)):
        step = moved[i + np.uint64(1)] - moved[i]
        least, most = min(least, step), max(most, step)
    state.least, state.most = least * _TURN, most * _TURN


@borrowing
def _at_moved_rate(phases, start, step, slope, moved):
    phase = start
    for i in range(TICK):
        phases[i] = phase
        phase += (step + slope * (i + 1)) * (1.0 + moved[i])
    return phase


@borrowing
def _plain(into, phases, audio, sound, copies, old_level, level, room):
    """A tick of one wave, crossing over where the level has changed."""
    into[:TICK] = np.float32(0.0)
    if old_level < 0 or old_level == level:
        add_wave(into, _FRAMES, phases, audio, sound, copies[level], room, 1.0, 0.0)
        return
    add_wave(into, _FRAMES, phases, audio, sound, copies[old_level], room, 1.0, -1.0 / TICK)
    add_wave(into, _FRAMES, phases, audio, sound, copies[level], room, 0.0, 1.0 / TICK)


@borrowing
def _fine(into, audio, sound, copies, old_level, level, room):
    """The same at the fine rate."""
    into[:] = np.float32(0.0)
    if old_level < 0 or old_level == level:
        add_fine(into, audio, sound, copies[level], room, 1.0, 0.0)
        return
    slope = 1.0 / (FINE * TICK)
    add_fine(into, audio, sound, copies[old_level], room, 1.0, -slope)
    add_fine(into, audio, sound, copies[level], room, 0.0, slope)


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
def _begin(state, voice, s, seed, layer, pace, frame, width):
    """A note begins."""
    key = chance_key(np.uint64(seed), voice.serial, np.uint64(layer))
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
    state.frame, state.width = frame, width
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
def _sound_plain(
    out, still, at, u, audio, sound, copies, state, step, own, moved, turns, hold, left, right,
    leaves, room,
):  # fmt: skip
    """A tick of one wave as it is; gives where its phase ends. It fades out where it ``leaves``."""
    widest, end = _phases(
        room.phases, state.phase[u], step, own, moved, turns, room.plain, state.least, state.most
    )
    to_left, to_right = (0.0, 0.0) if leaves else (room.lefts[u], room.rights[u])
    level = level_for(widest)
    _plain(room.between, room.phases, audio, sound, copies, state.level[u], level, room)
    _mix(out, at, room.between, left, right, to_left, to_right)
    if hold:
        before, after = level_for(step), level_for(own)
        _plain(room.between, room.plain, audio, sound, copies, before, after, room)
        _mix(still, at, room.between, left, right, to_left, to_right)
    if not leaves:
        state.level[u] = level
    return end


@borrowing
def _sound_fine(u, audio, sound, copies, state, step, own, moved, turns, hold, left, right, joins,
                room):  # fmt: skip
    """The same at the fine rate, into ``room``: as it is moved and, where ``hold``, as it is not."""
    one, start, end = room.fine, state.phase[u], state.phase[u]
    moved_level = state.level[u]
    for way in range(2 if hold else 1):
        still = way == 1
        by = 0 if still else turns
        widest, place = fine_phases(room, start, step, own, moved, state.earlier, by)
        level = level_for(widest)
        _fine(one, audio, sound, copies, -1 if still or joins else state.level[u], level, room)
        if room.wave.sync == 1 and by == 0:
            soften_restarts(
                one, audio, sound, copies[level], room, start, step, own, state.wrapped[u]
            )
        if still:
            _mix_fine(room.still_left, room.still_right, one, left, right, room.lefts[u],
                      room.rights[u])  # fmt: skip
        else:
            end, moved_level = place, level
            _mix_fine(room.fine_left, room.fine_right, one, left, right, room.lefts[u],
                      room.rights[u])  # fmt: skip
    state.level[u] = moved_level
    return end


@borrowing
def _bring_all_back(out, still, at, state, hold, joins, room):
    """What was made at the fine rate, brought back and added; fading in where it ``joins``."""
    gain, rise = (0.0, 1.0 / TICK) if joins else (1.0, 0.0)
    bring_back(out, at, 0, room.fine_left, state.memory[0], gain, rise)
    bring_back(out, at, 1, room.fine_right, state.memory[1], gain, rise)
    if hold:
        bring_back(still, at, 0, room.still_left, state.memory[2], gain, rise)
        bring_back(still, at, 1, room.still_right, state.memory[3], gain, rise)
    state.bent = 1


@borrowing
def _tick(out, still, at, audio, sound, copies, s, state, pace, moved, turns, hold, room):
    """A tick of all waves of a voice: as they are, or at the fine rate.

    Once bent, a note stays at the fine rate to its end, since the low-pass delays it.
    """
    fine = _is_bent(room.wave) or state.bent == 1
    joins = fine and state.bent == 0 and state.left[0] >= 0.0
    if fine:
        room.fine_left[:] = room.fine_right[:] = np.float32(0.0)
        room.still_left[:] = room.still_right[:] = np.float32(0.0)
    count = min(max(np.int64(s.unison), 1), MOST_OSCILLATORS)
    _spread(s, count, room)
    if turns == 1:
        _hold_steps(state, moved)
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
        end = 0.0
        if not fine or joins:
            end = _sound_plain(out, still, at, u, audio, sound, copies, state, step, own, moved, turns,
                               hold, left, right, joins, room)  # fmt: skip
        if fine:
            end = _sound_fine(u, audio, sound, copies, state, step, own, moved, turns, hold, left,
                              right, joins, room)  # fmt: skip
        if end >= 1.0:
            state.wrapped[u] = 1
        state.phase[u] = end - math.floor(end)
        state.step[u] = own
    if fine:
        _bring_all_back(out, still, at, state, hold, joins, room)
    state.earlier = moved[TICK - 1]


@borrowing
def render_wave(
    first, step, out, still, moved, turns, hold, voices, parts, chosen, own, now, pitches,
    sounds, copies, path, seed, layer, retune, scratch,
):  # fmt: skip
    """Fill the signals of a wave layer for some of the voices, stereo; see :mod:`.sources`."""
    room = scratch[first]
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
                _begin(state, voice, s, seed, layer, pace, frame, width)
            at = tick * TICK
            out[v, 2 * at : 2 * at + 2 * TICK] = np.float32(0.0)
            if hold:
                still[v, 2 * at : 2 * at + 2 * TICK] = np.float32(0.0)
            _put_tick(room.wave, s, state, frame, width)
            _tick(out[v], still[v], at, audio, sound, copies[0], s, state, pace, moved[v, at:], turns,
                  hold, room)  # fmt: skip
            state.frame, state.width = frame, width
            part.position = frame / max(sound.frames - 1, 1)
