"""Echo: a delay whose loop has a filter and a drive, wanders, and can be frozen."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Choice, Declared, option
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.chance import two_sided
from innerbloom.core.dsp.delay_line import glide, read_cubic, read_line, ring_size
from innerbloom.core.dsp.dynamics import gain_of_db
from innerbloom.core.dsp.rates import RATE, TICK, TICK_S
from innerbloom.core.effects.compiled import CompiledEffect
from innerbloom.core.effects.kind import EffectKind, Ticks

# fmt: off
ECHO: tuple[Declared, ...] = (
    Choice("clock", "pace", ("ms", "beats"), "ms", "Whether the time is set by itself or by tempo.",
           "Echo"),
    P("time", "time", "Echo", "ms", 1, 4_000, 380, "From one echo to the next.", "log",
      when=("clock", ("ms",))),
    P("beats", "beats", "Echo", "beats", 0.0625, 4, 0.75, "From one echo to the next.", "log",
      when=("clock", ("beats",))),
    Choice("time_moves", "a moved time", ("glides", "crossfades"), "glides",
           "Glides as a tape does, with its pitch; or fades over from one time to the other.",
           "Echo"),
    P("feedback", "feedback", "Echo", "%", 0, 120, 45,
      "How much comes back; above 100 it grows until the drive holds it."),
    Choice("sides", "sides", ("both", "ping-pong"), "both",
           "Ping-pong sends each echo to the other side.", "Echo"),
    P("low_cut", "low cut", "Loop", "Hz", 20, 2_000, 90, "Each round takes away what lies below.",
      "log"),
    P("high_cut", "high cut", "Loop", "Hz", 200, 20_000, 6_500,
      "Each round takes away what lies above.", "log"),
    P("drive", "drive", "Loop", "dB", 0, 24, 0, "Saturates each round."),
    P("wander", "wander", "Loop", "%", 0, 100, 0, "How far the time strays, at random and slowly."),
    P("freeze", "freeze", "Loop", "%", 0, 100, 0,
      "At 100 what is there goes round for ever, and nothing goes in."),
    P("mix", "mix", "Output", "%", 0, 100, 35, "How much of it is echo."),
)
# fmt: on

_LONGEST_S = 4.0
_RING = ring_size(1.1 * _LONGEST_S * RATE)
_BEATS, _FADES = option(ECHO, "clock", "beats"), option(ECHO, "time_moves", "crossfades")
_PING_PONG = option(ECHO, "sides", "ping-pong")
_GLIDE = 1.0 - math.exp(-TICK_S / 0.08)
_FADE_TICKS = 38
"""Ticks of a crossfade: 50 ms."""

_WANDER_KEY = np.uint64(0x5EED_EC40)
_WANDER_SHARE = 1.0 - math.exp(-TICK_S / 0.9)
_WHITE = math.sqrt(3.0 * 4.0 / _WANDER_SHARE)
_STRAYS = 0.02
"""How far wander takes the time at most, as a share of it, either way and usually."""

STATE = np.dtype(
    [
        ("at", np.int64),
        ("begun", np.int64),
        ("glide", np.float64, (2,)),
        ("frames", np.float64), ("older", np.float64), ("fading", np.int64),
        ("walk", np.float64, (2, 2)),  # of each side: twice smoothed
        ("turns", np.uint64),
        ("low", np.float64, (2,)), ("high", np.float64, (2,)),
    ]
)  # fmt: skip


@borrowing
def _aim(s, beat_s):
    """The delay in frames that is set, whatever it is now."""
    seconds = s.beats * beat_s if s.clock == _BEATS else 0.001 * s.time
    return min(max(seconds, 0.0005), _LONGEST_S) * RATE


@borrowing
def _step_time(state, s, beat_s):
    """One tick of the delay: gives it at the beginning, at the end, and the older one."""
    aim = _aim(s, beat_s)
    if state.begun == 0:
        state.begun, state.frames, state.older = 1, aim, aim
        state.glide[:] = aim
    before = state.frames
    if s.time_moves != _FADES:
        glide(state.glide, aim, _GLIDE)
        state.frames = state.glide[1]
        return before, state.frames
    state.glide[:] = state.frames
    if state.fading == 0 and abs(aim - state.frames) > 0.5:
        state.older, state.frames, state.fading = state.frames, aim, _FADE_TICKS
    return state.frames, state.frames


@borrowing
def _walk_on(state):
    """One tick of wandering: white noise smoothed twice, brought back to about 1."""
    for c in range(2):
        walk = state.walk[c]
        draw = two_sided(_WANDER_KEY, np.uint64(2) * state.turns + np.uint64(c))
        walk[0] += _WANDER_SHARE * (_WHITE * draw - walk[0])
        walk[1] += _WANDER_SHARE * (walk[0] - walk[1])
    state.turns += np.uint64(1)


@borrowing
def _strayed(state, c, percent):
    """By what the delay of a side is multiplied now."""
    return 1.0 + 0.01 * percent * _STRAYS * min(max(state.walk[c, 1], -3.0), 3.0)


@borrowing
def _saturated(x, gain):
    """Level off softly at 1 / gain, or, where there is no drive, well above full scale."""
    if gain <= 1.001:
        y = abs(x)
        return x if y < 1.0 else math.copysign(1.0 + math.tanh(y - 1.0), x)
    return math.tanh(gain * x) / gain


@borrowing
def _tap(ring, at, frames, older, fading, i):
    """One sample of the line, between two delays while one fades into the other."""
    value = read_cubic(ring, at, frames)
    if fading > 0:
        share = (fading - (i + 1.0) / TICK) / _FADE_TICKS
        value += share * (read_cubic(ring, at, older) - value)
    return value


@borrowing
def _tick_of_taps(taps, ring, frames, to, state):
    """The same for a whole tick of a line that is longer than one."""
    read_line(taps[0], ring, state.at, frames, to)
    if state.fading > 0:
        read_line(taps[1], ring, state.at, state.older, state.older)
        for i in range(TICK):
            share = np.float32((state.fading - (i + 1.0) / TICK) / _FADE_TICKS)
            taps[0, i] += share * (taps[1, i] - taps[0, i])


@borrowing
def _shortest(frames, to, old, stray, state):
    """The least delay of a tick, in frames."""
    least = min(frames, to) * min(old[0], old[1], stray[0], stray[1])
    return least if state.fading == 0 else min(least, state.older)


@borrowing
def _share_of(hz):
    """Of the way made in a frame by a filter of first order."""
    return 1.0 - math.exp(-2.0 * math.pi * hz / RATE)


@borrowing
def _come_round(state, c, tap, loop, kept):
    """One frame of a side once round: drive, a high-pass and a low-pass of first order."""
    drive, low, high = loop
    gain, freeze = kept
    x = _saturated(tap, drive)
    state.low[c] += low * (x - state.low[c])
    state.high[c] += high * (x - state.low[c] - state.high[c])
    # what is frozen is not worn down
    return gain * (state.high[c] + freeze * (tap - state.high[c]))


@borrowing
def _feed(rings, place, crossed, dry, back):
    """One frame into both lines."""
    mask = len(rings[0]) - 1
    if crossed:
        rings[0, place & mask] = np.float32(0.5 * (dry[0] + dry[1]) + back[1])
        rings[1, place & mask] = np.float32(back[0])
    else:
        rings[0, place & mask] = np.float32(dry[0] + back[0])
        rings[1, place & mask] = np.float32(dry[1] + back[1])


@borrowing
def _echo(x, before, values, beat_s, memory):
    rings, states, taps = memory
    state, loudest = states[0], 0.0
    for tick in range(len(values)):
        s = values[tick]
        last = before[0] if tick == 0 else values[tick - 1]
        from_, to = _step_time(state, s, beat_s)
        loop = (gain_of_db(s.drive), _share_of(s.low_cut), _share_of(s.high_cut))
        crossed = s.sides == _PING_PONG
        old = (_strayed(state, 0, last.wander), _strayed(state, 1, last.wander))
        _walk_on(state)
        stray = (_strayed(state, 0, s.wander), _strayed(state, 1, s.wander))
        # one that is shorter hears within a tick what was written in it
        at_once = _shortest(from_, to, old, stray, state) > TICK + 2.0
        if at_once:
            for c in range(2):
                _tick_of_taps(taps[c], rings[c], from_ * old[c], to * stray[c], state)
        for i in range(TICK):
            share, at = (i + 1.0) / TICK, 2 * (tick * TICK + i)
            freeze = 0.01 * (last.freeze + share * (s.freeze - last.freeze))
            feedback = 0.01 * (last.feedback + share * (s.feedback - last.feedback))
            mix = 0.01 * (last.mix + share * (s.mix - last.mix))
            place = state.at + i
            if at_once:
                left, right = np.float64(taps[0, 0, i]), np.float64(taps[1, 0, i])
            else:
                frames = from_ + share * (to - from_)
                left_by = old[0] + share * (stray[0] - old[0])
                right_by = old[1] + share * (stray[1] - old[1])
                left = _tap(rings[0], place - 1, max(frames * left_by - 1.0, 1.0),
                            state.older - 1.0, state.fading, i)  # fmt: skip
                right = _tap(rings[1], place - 1, max(frames * right_by - 1.0, 1.0),
                             state.older - 1.0, state.fading, i)  # fmt: skip
            kept = (freeze + (1.0 - freeze) * feedback, freeze)
            back = (
                _come_round(state, 0, left, loop, kept),
                _come_round(state, 1, right, loop, kept),
            )
            dry = (np.float64(x[at]), np.float64(x[at + 1]))
            _feed(rings, place, crossed, ((1.0 - freeze) * dry[0], (1.0 - freeze) * dry[1]), back)
            loudest = max(loudest, abs(left), abs(right))
            x[at] = np.float32(dry[0] + mix * (left - dry[0]))
            x[at + 1] = np.float32(dry[1] + mix * (right - dry[1]))
        state.at += TICK
        state.fading = max(0, state.fading - 1)
    return loudest


class Echo(CompiledEffect):
    """Two rings, crossed or not."""

    def __init__(self, made: object) -> None:
        taps = np.zeros((2, 2, TICK), np.float32)
        memory = (np.zeros((2, _RING), np.float32), np.zeros(1, STATE), taps)
        super().__init__(_echo, memory, holds_s=1.1 * _LONGEST_S)

    def _work(
        self, audio: NDArray[np.float32], before: NDArray[Any], values: NDArray[Any], ticks: Ticks
    ) -> float:
        return float(_echo(audio, before, values, ticks.beat_s, self._memory))

    def tail_s(self) -> float:
        """A good while; whether it has died away is seen when it has."""
        return 12.0


KIND = EffectKind("echo", "Echo", ECHO, Echo, "Comes back, wanders, holds for ever.", "Space")
