"""What each kind of modulator does in a tick.

A modulator's settings lie in the row of values, so that routes can move them like any other.
It gives its value as it stands at the beginning of a tick and then moves on by one.
"""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.engine.kernels.beginning import NOTE, TICK_S, lag_share, place_of, starts
from innerbloom.core.engine.kernels.chance import chance_key, two_sided, uniform
from innerbloom.core.engine.kernels.envelope import advance_shape, again, begin_shape, let_go
from innerbloom.core.engine.kernels.hearing import contour, follow
from innerbloom.core.engine.state import HELD
from innerbloom.core.instrument import modulator_parameters as declared
from innerbloom.core.instrument.catalogue import MODULATOR_KINDS
from innerbloom.core.instrument.curves import TABLE_STEPS
from innerbloom.core.instrument.parameters import option

_KINDS = list(MODULATOR_KINDS)
_LFO, _ENVELOPE, _SHAPE = _KINDS.index("lfo"), _KINDS.index("envelope"), _KINDS.index("shape")
_STEPS, _RANDOM, _DRIFT = _KINDS.index("steps"), _KINDS.index("random"), _KINDS.index("drift")
FOLLOWER, _COMBINE = _KINDS.index("follower"), _KINDS.index("combine")
_CONTOUR = _KINDS.index("contour")
_LAG, _QUANTISE = _KINDS.index("lag"), _KINDS.index("quantise")
_SAMPLE, _MACRO = _KINDS.index("sample"), _KINDS.index("macro")

_CHANCE_OF_MODULATORS = 1 << 22


# the clock of LFOs and step patterns is declared first, in one order
_CLOCK, _RATE, _BEATS, _KEY_RATE = (
    place_of(declared.LFO, one) for one in ("clock", "rate", "beats", "key_rate")
)
_WAVE, _WIDTH, _START = (place_of(declared.LFO, one) for one in ("wave", "width", "phase"))
_DELAY, _FADE, _LFO_RESTART, _LFO_ONCE = (
    place_of(declared.LFO, one) for one in ("delay", "fade", "restart", "once")
)
_APART, _FASTER = place_of(declared.LFO, "right_phase"), place_of(declared.LFO, "right_rate")
_TRIANGLE, _RAMP = option(declared.LFO, "wave", "triangle"), option(declared.LFO, "wave", "ramp")
_PULSE, _DRAWN = option(declared.LFO, "wave", "pulse"), option(declared.LFO, "wave", "drawn")
_CHANCES = option(declared.LFO, "wave", "steps of chance")
_CURVES = option(declared.LFO, "wave", "curves of chance")
_SHAPE_CLOCK, _SHAPE_TIME, _SHAPE_BEATS = (
    place_of(declared.SHAPE, one) for one in ("clock", "time", "beats")
)
_LOOP, _FROM, _TO, _SHAPE_RESTART = (
    place_of(declared.SHAPE, one) for one in ("loop", "loop_from", "loop_to", "restart")
)
_UNTIL, _ALWAYS = (option(declared.SHAPE, "loop", one) for one in ("until release", "always"))
_WAIT = option(declared.SHAPE, "loop", "wait there")
_GLIDE, _STEPS_RESTART, _STEPS_ONCE = (
    place_of(declared.STEPS, one) for one in ("glide", "restart", "once")
)
_REACH, _SPREAD = place_of(declared.RANDOM, "reach"), place_of(declared.RANDOM, "spread")
_PULL, _FAR, _EASE, _DRIFT_RESTART = (
    place_of(declared.DRIFT, one) for one in ("pull", "reach", "ease", "restart")
)
_HOW, _A, _B = (place_of(declared.COMBINE, one) for one in ("how", "a", "b"))
_IN, _LAG_RISE, _LAG_FALL = (place_of(declared.LAG, one) for one in ("a", "rise", "fall"))
_LEVELS, _TRIGGER = place_of(declared.QUANTISE, "levels"), place_of(declared.SAMPLE, "trigger")
_VALUE, _OTHER = place_of(declared.MACRO, "value"), place_of(declared.MACRO, "other")


@borrowing
def table_at(table, place):
    """A table of even steps at a place 0..1, straight in between."""
    at = min(max(place, 0.0), 1.0) * TABLE_STEPS
    below = np.uint64(min(at, TABLE_STEPS - 1.0))
    here = table[below]
    return here + (at - np.float64(below)) * (table[below + np.uint64(1)] - here)


@borrowing
def _pace(row, at, voice, tempo):
    """Cycles or steps a second."""
    pace = row[at + _RATE] if row[at + _CLOCK] < 0.5 else tempo / 60.0 / row[at + _BEATS]
    return pace * 2.0 ** (0.01 * row[at + _KEY_RATE] * (voice.pitch - 60.0) / 12.0)


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
def _lfo(state, row, at, voice, phrase, tempo, table, key, out):
    if starts(state, voice, phrase, row[at + _LFO_RESTART]):
        state.phase = state.other_phase = 0.01 * row[at + _START]
    age = state.age - 0.001 * row[at + _DELAY]
    state.age += TICK_S
    if age < -1e-9:
        out[0] = out[1] = 0.0
        return
    wave, width = row[at + _WAVE], 0.01 * row[at + _WIDTH]
    fade = 0.001 * row[at + _FADE]
    full = 1.0 if fade <= 0.0 else min(1.0, age / fade)
    place = state.other_phase + 0.01 * row[at + _APART]
    whole = math.floor(place)
    once = row[at + _LFO_ONCE] > 0.5
    if once and state.turns > 0:
        out[0] = out[1] = full * _wave(wave, 1.0, 0, width, table, key)
        return
    out[0] = full * _wave(wave, state.phase, state.turns, width, table, key)
    turns = max(state.other_turns + np.int64(whole), 0)
    out[1] = full * _wave(wave, place - whole, turns, width, table, key)
    step = _pace(row, at, voice, tempo) * TICK_S
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
def _shape(state, row, at, voice, phrase, tempo, table, out):
    if starts(state, voice, phrase, row[at + _SHAPE_RESTART]):
        state.phase = 0.0
    out[0] = max(table_at(table, state.phase), 0.0)
    seconds = 0.001 * row[at + _SHAPE_TIME]
    if row[at + _SHAPE_CLOCK] > 0.5:
        seconds = row[at + _SHAPE_BEATS] * 60.0 / tempo
    loop, held = row[at + _LOOP], voice.state == HELD
    begin, end = 0.01 * row[at + _FROM], 0.01 * row[at + _TO]
    before = state.phase
    state.phase = min(state.phase + TICK_S / seconds, 1.0)
    if loop == _WAIT and held and before <= end:
        state.phase = min(state.phase, end)
    elif (loop == _ALWAYS or (loop == _UNTIL and held)) and end > begin and state.phase >= end:
        state.phase = begin + (state.phase - end) % (end - begin)


@borrowing
def _steps(state, modulator, row, at, voice, phrase, tempo, steps, key, out):
    if starts(state, voice, phrase, row[at + _STEPS_RESTART]):
        state.phase = 0.0
        state.value = state.from_value = steps[modulator.first, 0]
    glide = 0.01 * row[at + _GLIDE]
    share = 1.0 if glide <= 0.0 else min(1.0, state.phase / glide)
    out[0] = state.from_value + share * (state.value - state.from_value)
    if row[at + _STEPS_ONCE] > 0.5 and state.turns >= modulator.count - 1:
        state.phase = 1.0
        return
    state.phase += _pace(row, at, voice, tempo) * TICK_S
    while state.phase >= 1.0 - 1e-10:
        state.phase = max(state.phase - 1.0, 0.0)
        state.turns += 1
        step = modulator.first + state.turns % modulator.count
        state.from_value = state.value
        if uniform(key, np.uint64(state.turns)) < steps[step, 1]:
            state.value = steps[step, 0]


@borrowing
def _random(state, row, at, voice, phrase, key, out):
    if starts(state, voice, phrase, NOTE):
        draw = uniform(key, np.uint64(0))
        if row[at + _SPREAD] > 0.5:
            draw = (draw + uniform(key, np.uint64(1)) + uniform(key, np.uint64(2))) / 3.0
        state.value = draw
    out[0] = 2.0 * state.value - 1.0 if row[at + _REACH] > 0.5 else state.value


@borrowing
def _normal(key, counter):
    """A normally distributed number (Box and Muller 1958)."""
    one = 1.0 - uniform(key, np.uint64(2 * counter))
    other = uniform(key, np.uint64(2 * counter + 1))
    return math.sqrt(-2.0 * math.log(one)) * math.cos(2.0 * math.pi * other)


@borrowing
def _drift(state, row, at, voice, phrase, key, out):
    """An Ornstein-Uhlenbeck process, stepped exactly (D. T. Gillespie, Phys. Rev. E 54, 1996)."""
    fresh = starts(state, voice, phrase, row[at + _DRIFT_RESTART])
    keep = 0.0 if fresh else math.exp(-TICK_S * 1000.0 / row[at + _PULL])
    spread = math.sqrt(1.0 - keep * keep)
    state.walk = keep * state.walk + spread * _normal(key, state.turns)
    state.turns += 1
    aim = 0.01 * row[at + _FAR] * state.walk
    share = 1.0 if fresh else lag_share(row[at + _EASE])
    state.value += share * (aim - state.value)
    out[0] = min(max(state.value, -1.0), 1.0)


@borrowing
def _combine(row, at, out):
    one, other, how = row[at + _A], row[at + _B], row[at + _HOW]
    if how < 0.5:
        value = one + other
    elif how < 1.5:
        value = one * other
    elif how < 2.5:
        value = min(one, other)
    else:
        value = max(one, other)
    out[0] = min(max(value, -1.0), 1.0)


@borrowing
def _helper(state, kind, row, at, voice, out):
    value = row[at + _IN]
    fresh = state.begun == 0 or state.serial != voice.serial
    state.begun = 1
    state.serial = voice.serial
    if kind == _QUANTISE:
        gaps = row[at + _LEVELS] - 1.0
        state.value = math.floor((value + 1.0) * 0.5 * gaps + 0.5) / gaps * 2.0 - 1.0
    elif kind == _LAG:
        rising = value > state.value
        share = 1.0 if fresh else lag_share(row[at + (_LAG_RISE if rising else _LAG_FALL)])
        state.value += share * (value - state.value)
    else:
        if fresh or (row[at + _TRIGGER] > 0.0 and state.from_value <= 0.0):
            state.value = value
        state.from_value = row[at + _TRIGGER]
    out[0] = state.value


@borrowing
def advance(modulator, state, number, voice, phrase, row, morph, tempo, seed, tables, steps,
            contours, heard, out):  # fmt: skip
    """Give a modulator's value for this tick, and move it on.

    Parameters
    ----------
    modulator, state : MODULATOR and MODULATOR_STATE records
    number : int
        Its place among the modulators.
    voice : VOICE record
        The note it belongs to; for a shared one, the newest.
    phrase : int
        Counts the times a key went down while none was.
    row : float64 array
        Values with all movement in them.
    morph, tempo : float
        0..1, and beats a minute.
    tables : float64 array, shape (tables, TABLE_STEPS + 1)
    steps : float64 array, shape (all steps, 2)
    contours : float64 array, shape (moments, 3)
    heard : float64 array, shape (listened to, 3)
    out : float64 array, shape (2,)
        Filled: its value, and that of its other side.
    """
    kind, at = modulator.kind, modulator.at
    serial = np.uint64(0) if modulator.shared == 1 else voice.serial
    key = chance_key(np.uint64(seed), serial, np.uint64(_CHANCE_OF_MODULATORS + number))
    if kind == _LFO:
        _lfo(state, row, at, voice, phrase, tempo, tables[modulator.table], key, out)
    elif kind == _SHAPE:
        _shape(state, row, at, voice, phrase, tempo, tables[modulator.table], out)
    elif kind == _STEPS:
        _steps(state, modulator, row, at, voice, phrase, tempo, steps, key, out)
    elif kind == _RANDOM:
        _random(state, row, at, voice, phrase, key, out)
    elif kind == _DRIFT:
        _drift(state, row, at, voice, phrase, key, out)
    elif kind == FOLLOWER:
        heard_now = heard[modulator.heard]
        follow(state, row, at, heard_now[0], heard_now[1], heard_now[2], False, out)
    elif kind == _CONTOUR:
        contour(state, modulator, row, at, voice, phrase, contours, out)
    elif kind == _COMBINE:
        _combine(row, at, out)
    elif kind == _ENVELOPE:
        _envelope(state, row, at, voice, phrase, out)
    elif kind == _MACRO:
        value = row[at + _VALUE]
        out[0] = 0.01 * (value + morph * (row[at + _OTHER] - value))
    else:
        _helper(state, kind, row, at, voice, out)


@borrowing
def _envelope(state, row, at, voice, phrase, out):
    new_note = state.begun == 0 or state.serial != voice.serial
    if starts(state, voice, phrase, NOTE):
        if new_note:
            begin_shape(state.shape, row, at)
        again(state.shape)
    if voice.state != HELD:
        let_go(state.shape)
    out[0] = state.shape.level
    advance_shape(state.shape, row, at)
