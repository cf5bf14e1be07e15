"""Room: from a body of 20 ms to one that never ends."""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.delay_line import glide, read_line, ring_size
from innerbloom.core.dsp.dynamics import gain_or_silence
from innerbloom.core.dsp.rates import RATE, TICK, TICK_S
from innerbloom.core.effects.compiled import CompiledEffect
from innerbloom.core.effects.kind import EffectKind
from innerbloom.core.effects.room.absorption import COEFFICIENTS, absorb, set_absorption
from innerbloom.core.effects.room.network import (
    ALL_PASS_RING,
    ALL_PASSES,
    LINES,
    LONGEST_M,
    RING,
    SPEED_M_S,
    diffuse,
    frames_of,
    mix_lines,
    sum_lines,
    sway_of,
    write_line,
)
from innerbloom.core.effects.room.parameters import ROOM

_EARLY_TAPS = 10
_EARLY_S = 0.09
"""The last early reflection of the largest room."""

_PRE_DELAY_S = 0.25
_INPUT_RING = ring_size((_PRE_DELAY_S + _EARLY_S) * RATE + TICK)
_NO_EARLY_DB = -40.0
_SIZE_SHARE = 1.0 - math.exp(-TICK_S / 0.2)
_PRE_DELAY_SHARE, _DECAY_SHARE = 1.0 - math.exp(-TICK_S / 0.06), 1.0 - math.exp(-TICK_S / 0.15)
_STEADY = 0.35
"""Power of 1 - g^2 that the level goes with: between strikes (0) and held sounds (0.5) alike."""


def _early() -> np.ndarray:
    """Times (shares of the last) and gains of early reflections, shape (2, taps, 2)."""
    number = np.arange(1, _EARLY_TAPS + 1)
    made = []
    for side in range(2):
        times = (number / _EARLY_TAPS) ** 1.3 + 0.03 * np.sin(5.1 * number + 2.0 * side)
        signs = np.where((number * (3 + side)) % 5 < 2, -1.0, 1.0)
        made.append(np.stack([np.clip(times, 0.04, 1.0), signs * 0.8 / np.sqrt(number)], axis=1))
    return np.ascontiguousarray(np.array(made))


_EARLY = _early()
STATE = np.dtype(
    [
        ("at", np.int64), ("begun", np.int64),
        ("size", np.float64, (2,)), ("pre_delay", np.float64, (2,)),  # gliding
        ("decay", np.float64),  # eased, as its logarithm
        ("phase", np.float64), ("level", np.float64),
        ("set", np.float64, (4,)),  # size and decays that the absorption is made for
    ]
)  # fmt: skip


class Network(NamedTuple):
    """What a room remembers, and room for a tick of it.

    states : STATE array, shape (1,)
    rings : float32 array, shape (LINES, RING)
    inputs : float32 array, shape (4, frames)
        The stream, and the same after its pre-delay.
    all_passes : float32 array, shape (2, all-passes, ALL_PASS_RING)
    lines : float32 array, shape (2 * LINES, TICK)
        A tick of each line, and the same before absorption.
    filters, coefficients : float64 arrays
        Of each line's absorption.
    sides : float32 array, shape (6, TICK)
        What goes in, early reflections, and what comes out, left and right.
    """

    states: NDArray[Any]
    rings: NDArray[np.float32]
    inputs: NDArray[np.float32]
    all_passes: NDArray[np.float32]
    lines: NDArray[np.float32]
    filters: NDArray[np.float64]
    coefficients: NDArray[np.float64]
    sides: NDArray[np.float32]


@borrowing
def _read_between(out, ring, at, frames, to, gain, to_gain):
    """Add a tick of a ring whose delay and gain move straight from one to another."""
    mask, step = len(ring) - 1, (to_gain - gain) / TICK
    whole = np.int64(math.floor(frames))
    first = (at - whole) & mask
    if frames == to and 1 <= first <= len(ring) - TICK:
        _read_steady(out, ring[first - 1 :], frames - whole, gain, step)
        return
    for i in range(TICK):
        share = (i + 1.0) / TICK
        delay = frames + share * (to - frames)
        whole = np.int64(math.floor(delay))
        first, part = at + i - whole, np.float32(delay - whole)
        here, before = ring[first & mask], ring[(first - 1) & mask]
        out[i] += np.float32(gain + step * (i + 1)) * (here + part * (before - here))


@borrowing
def _read_steady(out, span, part, gain, step):
    """The same where the delay stays, and nothing of the ring is broken."""
    before, here, part = span, span[1:], np.float32(part)
    for i in range(TICK):
        out[i] += np.float32(gain + step * (i + 1)) * (here[i] + part * (before[i] - here[i]))


@borrowing
def _early_frames(size):
    """Until the last early reflection."""
    return (0.02 + 0.98 * size / LONGEST_M) * _EARLY_S * RATE


@borrowing
def _take_in(x, base, was, last, s, room):
    """A tick of the stream after its pre-delay, and its early reflections."""
    state, rings, sides, early = room.states[0], room.inputs, room.sides[:2], room.sides[2:4]
    mask, at = _INPUT_RING - 1, state.at
    before = state.pre_delay[1]
    glide(state.pre_delay, 0.001 * RATE * s.pre_delay, _PRE_DELAY_SHARE)
    gain = gain_or_silence(last.early, _NO_EARLY_DB)
    to_gain = gain_or_silence(s.early, _NO_EARLY_DB)
    reach, to_reach = _early_frames(was), _early_frames(state.size[1])
    for c in range(2):
        here, after = rings[c, at & mask :], rings[2 + c, at & mask :]
        for i in range(TICK):
            here[i] = x[base + 2 * i + c]
        sides[c, :] = np.float32(0.0)
        early[c, :] = np.float32(0.0)
        _read_between(sides[c], rings[c], at, before, state.pre_delay[1], 1.0, 1.0)
        for i in range(TICK):
            after[i] = sides[c, i]
        if gain > 0.0 or to_gain > 0.0:
            for tap in range(_EARLY_TAPS):
                place, level = _EARLY[c, tap, 0], _EARLY[c, tap, 1]
                _read_between(early[c], rings[2 + c], at, place * reach, place * to_reach,
                              level * gain, level * to_gain)  # fmt: skip


@borrowing
def _set_decay(state, s, coefficients):
    """Bring the absorption of all lines up to date; gives the level that keeps loudness."""
    state.decay += _DECAY_SHARE * (math.log(s.decay) - state.decay)
    if abs(math.log(s.decay) - state.decay) < 1e-4:
        state.decay = math.log(s.decay)
    size, milliseconds = state.size[1], math.exp(state.decay)
    wanted = (size, milliseconds, s.low, s.high)
    same = True
    for k in range(4):
        same = same and state.set[k] == wanted[k]
    if not same:
        decay = 0.001 * milliseconds
        seconds = (decay * 0.01 * s.low, decay, decay * 0.01 * s.high)
        for line in range(LINES):
            set_absorption(coefficients[line], frames_of(size, line), seconds)
        for k in range(4):
            state.set[k] = wanted[k]
    passes = math.exp(-6.9 * size / SPEED_M_S / (0.001 * milliseconds))
    return max(1.0 - passes * passes, 1e-4) ** _STEADY


@borrowing
def _go_round(last, s, was, room):
    """A tick of all lines: read, taken from, mixed, and written with what goes in."""
    state, lines = room.states[0], room.lines
    phase = state.phase + TICK_S
    freeze = np.float32(0.01 * s.freeze)
    # what is frozen stands still, since reading between samples takes a little away
    sway, to_sway = (
        1e-4 * last.movement * (100.0 - last.freeze),
        1e-4 * s.movement * (100.0 - s.freeze),
    )
    for line in range(LINES):
        frames, to = frames_of(was, line), frames_of(state.size[1], line)
        if was == state.size[1]:
            frames = to = math.floor(frames)
        frames += sway_of(state.phase, line, sway)
        to += sway_of(phase, line, to_sway)
        read_line(lines[line], room.rings[line], state.at, frames, to)
    if freeze < np.float32(1.0):
        for line in range(LINES):
            kept, x = lines[LINES + line], lines[line]
            for i in range(TICK):
                kept[i] = x[i]
            absorb(x, room.coefficients[line], room.filters[line])
            if freeze > np.float32(0.0):
                for i in range(TICK):
                    x[i] += freeze * (kept[i] - x[i])
    state.phase = phase


@borrowing
def _room(x, before, values, memory):
    state, sides, lines, loudest = memory.states[0], memory.sides, memory.lines, np.float32(0.0)
    for tick in range(len(values)):
        s = values[tick]
        last = before[0] if tick == 0 else values[tick - 1]
        base = 2 * tick * TICK
        if state.begun == 0:
            state.begun, state.level, state.decay = 1, -1.0, math.log(s.decay)
            state.size[:] = s.size
            state.pre_delay[:] = 0.001 * RATE * s.pre_delay
        was = state.size[1]
        glide(state.size, s.size, _SIZE_SHARE)
        early, wet = sides[2:4], sides[4:6]
        _take_in(x, base, was, last, s, memory)
        level = _set_decay(state, s, memory.coefficients)
        decay_s = 0.001 * math.exp(state.decay)
        for c in range(2):
            diffuse(sides[c], memory.all_passes[c], state.at, 0.01 * s.diffusion, decay_s, c)
        if state.level < 0.0:
            state.level = level
        _go_round(last, s, was, memory)
        sum_lines(wet[0], wet[1], lines[:LINES])
        mix_lines(lines[:LINES])
        open_, to_open = 1.0 - 0.01 * last.freeze, 1.0 - 0.01 * s.freeze
        for c in range(2):
            for i in range(TICK):
                share = (i + 1.0) / TICK
                sides[c, i] *= np.float32(0.5 * (open_ + share * (to_open - open_)))
        for line in range(LINES):
            write_line(memory.rings[line], state.at, lines[line], line, sides, line % 2)
        for i in range(TICK):
            share = (i + 1.0) / TICK
            gain = state.level + share * (level - state.level)
            wide = 0.01 * (last.width + share * (s.width - last.width))
            mix = 0.01 * (last.mix + share * (s.mix - last.mix))
            left, right = gain * wet[0, i] + early[0, i], gain * wet[1, i] + early[1, i]
            loudest = max(loudest, abs(wet[0, i]), abs(wet[1, i]))
            middle, side = 0.5 * (left + right), 0.5 * wide * (left - right)
            at = base + 2 * i
            x[at] += np.float32(mix * (middle + side - x[at]))
            x[at + 1] += np.float32(mix * (middle - side - x[at + 1]))
        state.level = level
        state.at += TICK
    return loudest


class Room(CompiledEffect):
    """A feedback delay network with all-passes and early reflections ahead of it."""

    def __init__(self, made: object) -> None:
        memory = Network(
            np.zeros(1, STATE),
            np.zeros((LINES, RING), np.float32),
            np.zeros((4, _INPUT_RING), np.float32),
            np.zeros((2, len(ALL_PASSES), ALL_PASS_RING), np.float32),
            np.zeros((2 * LINES, TICK), np.float32),
            np.zeros((LINES, 2)),
            np.zeros((LINES, COEFFICIENTS)),
            np.zeros((6, TICK), np.float32),
        )
        super().__init__(_room, memory, holds_s=_PRE_DELAY_S + _EARLY_S + RING / RATE)

    def tail_s(self) -> float:
        """A good while; whether it has died away is seen when it has."""
        return 8.0


KIND = EffectKind("room", "Room", ROOM, Room, "From a body of 20 ms to one without end.", "Space")
