"""LFO: a wave that goes round."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Choice, Declared, option
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.chance import two_sided
from innerbloom.core.dsp.rates import TICK_S
from innerbloom.core.modulators.common import (
    ONCE,
    RESTART,
    STAYS,
    clock,
    pace,
    place_of,
    starts,
    table_at,
)
from innerbloom.core.modulators.kind import ModulatorKind

# fmt: off
LFO: tuple[Declared, ...] = (
    *clock(0.2, 8, "Cycles", "a cycle"),
    Choice("wave", "wave",
           ("sine", "triangle", "ramp", "pulse", "steps of chance", "curves of chance", "drawn"),
           "sine", "The shape of a cycle.", "Wave"),
    P("width", "pulse width", "Wave", "%", 1, 99, 50, "Share of the cycle spent at the top.",
      when=("wave", ("pulse",))),
    P("phase", "phase", "Start", "%", 0, 100, 0, "Where in the cycle it starts."),
    P("delay", "delay", "Start", "ms", 0, 60_000, 0, "Wait before it begins.", "cubic"),
    P("fade", "fade in", "Start", "ms", 0, 60_000, 0, "Time to swing out fully.", "cubic"),
    RESTART,
    ONCE,
    P("right_phase", "phase apart", "Other side", "%", -100, 100, 25,
      "How far the other side runs ahead, in cycles."),
    P("right_rate", "pace apart", "Other side", "oct", -2, 2, 0,
      "How much faster the other side runs."),
)
# fmt: on
_WAVE, _WIDTH, _START = (place_of(LFO, one) for one in ("wave", "width", "phase"))
_DELAY, _FADE, _RESTART, _ONCE = (
    place_of(LFO, one) for one in ("delay", "fade", "restart", "once")
)
_APART, _FASTER = place_of(LFO, "right_phase"), place_of(LFO, "right_rate")
_TRIANGLE, _RAMP = option(LFO, "wave", "triangle"), option(LFO, "wave", "ramp")
_PULSE, _DRAWN = option(LFO, "wave", "pulse"), option(LFO, "wave", "drawn")
_CHANCES = option(LFO, "wave", "steps of chance")
_CURVES = option(LFO, "wave", "curves of chance")


@borrowing
def _wave(wave, phase, turns, width, table, key):
    if wave == _TRIANGLE:
        return 1.0 - 4.0 * abs((phase + 0.25) % 1.0 - 0.5)
    if wave == _RAMP:
        return 2.0 * phase - 1.0
    if wave == _PULSE:
        return 1.0 if phase < width else -1.0
    if wave == _DRAWN:
        return table_at(table, phase)
    if wave == _CHANCES:
        return two_sided(key, np.uint64(turns))
    if wave == _CURVES:
        one, next_one = two_sided(key, np.uint64(turns)), two_sided(key, np.uint64(turns + 1))
        return one + (next_one - one) * 0.5 * (1.0 - math.cos(math.pi * phase))
    return math.sin(2.0 * math.pi * phase)


@borrowing
def _move_on(state, row, at, now):
    step = pace(row, at, now) * TICK_S
    state.phase += step
    state.other_phase += step * 2.0 ** row[at + _FASTER]
    # a cycle is over where rounding leaves it a hair short of its end
    done = math.floor(state.phase + 1e-10)
    state.turns += np.int64(done)
    state.phase = max(state.phase - done, 0.0)
    done = math.floor(state.other_phase + 1e-10)
    state.other_turns += np.int64(done)
    state.other_phase = max(state.other_phase - done, 0.0)


@borrowing
def advance(modulator, state, row, now, drawn, heard, out):
    """See :class:`.ModulatorKind`."""
    at = modulator.at
    table = drawn.tables[modulator.table]
    if starts(state, now.voice, now.phrase, row[at + _RESTART]):
        state.phase = state.other_phase = 0.01 * row[at + _START]
    age = state.age - 0.001 * row[at + _DELAY]
    state.age += TICK_S
    if age < -1e-9:
        out[0] = out[1] = 0.0
        return
    wave, width = row[at + _WAVE], 0.01 * row[at + _WIDTH]
    fade = 0.001 * row[at + _FADE]
    full = 1.0 if fade <= 0.0 else min(1.0, age / fade)
    if row[at + _ONCE] == STAYS and state.turns > 0:
        out[0] = out[1] = full * _wave(wave, 1.0, 0, width, table, now.key)
        return
    place = state.other_phase + 0.01 * row[at + _APART]
    whole = math.floor(place)
    out[0] = full * _wave(wave, state.phase, state.turns, width, table, now.key)
    turns = max(state.other_turns + np.int64(whole), 0)
    out[1] = full * _wave(wave, place - whole, turns, width, table, now.key)
    _move_on(state, row, at, now)


KIND = ModulatorKind(
    "lfo", "LFO", LFO, advance, "A wave that goes round.", two_sided=True, needs="cycle", sides=2
)
