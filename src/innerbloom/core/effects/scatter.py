"""Scatter: grains of the last eight seconds of the stream.

Grains follow C. Roads, *Microsound*, MIT Press 2001, chapter 3, as the cloud's do.
"""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.chance import two_sided, uniform, waiting_time
from innerbloom.core.dsp.delay_line import read_cubic, ring_size
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.effects.compiled import CompiledEffect
from innerbloom.core.effects.kind import EffectKind

# fmt: off
SCATTER: tuple[Declared, ...] = (
    P("density", "density", "Grains", "/s", 0.5, 200, 18, "How many grains begin.", "log"),
    P("size", "size", "Grains", "ms", 10, 2_000, 180, "How long each one is.", "log"),
    P("regularity", "regularity", "Grains", "%", 0, 100, 40, "From chance to a clock."),
    P("back", "how far back", "Place", "ms", 0, 8_000, 600, "Where grains read.", "cubic"),
    P("back_scatter", "spread of places", "Place", "ms", 0, 8_000, 400,
      "How far places differ by chance.", "cubic"),
    P("reverse", "backward", "Place", "%", 0, 100, 0, "How many read backward."),
    P("pitch", "shift", "Pitch", "st", -24, 24, 0, "Transposition.", sign=True),
    P("pitch_scatter", "spread of pitch", "Pitch", "st", 0, 24, 0, "How far pitches differ."),
    P("freeze", "freeze", "Place", "%", 0, 100, 0, "From half on, nothing new is taken in."),
    P("feedback", "feedback", "Output", "%", 0, 95, 0, "How much of the grains is taken in again."),
    P("width", "width", "Output", "%", 0, 100, 60, "How far grains lie apart."),
    P("mix", "mix", "Output", "%", 0, 100, 50, "How much of it is grains."),
)
# fmt: on

_BACK_S = 8.0
_RING = ring_size(2.0 * _BACK_S * RATE)
_GRAINS = 64
_KEY = np.uint64(0x5CA77E2)
_DRAWS = np.uint64(8)
_MARGIN = 8.0

GRAIN = np.dtype(
    [
        ("age", np.float64), ("length", np.float64),  # frames; a length of 0 is none
        ("place", np.float64),  # frames before the newest
        ("step", np.float64),  # by how much that changes a frame, where the line stands still
        ("left", np.float64), ("right", np.float64),
    ]
)  # fmt: skip

STATE = np.dtype(
    [("at", np.int64), ("next", np.float64), ("number", np.uint64), ("frozen", np.float64)]
)


@borrowing
def _begin(grain, s, number, frozen):
    """A grain: its place, pitch, direction and side, by chance."""
    first = number * _DRAWS
    ratio = 2.0 ** ((s.pitch + s.pitch_scatter * two_sided(_KEY, first)) / 12.0)
    length = max(0.001 * s.size * RATE, 2.0 * TICK)
    back = 0.001 * RATE * (s.back + s.back_scatter * two_sided(_KEY, first + np.uint64(1)))
    backward = uniform(_KEY, first + np.uint64(2)) < 0.01 * s.reverse
    # the line moves on under it by a frame a frame, but for what is frozen
    step = ratio if backward else -ratio
    travels = step + 1.0 - frozen
    least = _MARGIN + max(-travels, 0.0) * length
    most = _RING - 2.0 * TICK - _MARGIN - max(travels, 0.0) * length
    grain.place = max(min(back, most, _BACK_S * RATE), least)
    grain.step, grain.length = step, length
    place = 0.01 * s.width * two_sided(_KEY, first + np.uint64(3))
    grain.left, grain.right = math.sqrt(1.0 - place), math.sqrt(1.0 + place)


@borrowing
def _free_grain(grains):
    """A place for one more grain; -1 where there is none."""
    for number in range(_GRAINS):
        if grains[number].length == 0.0:
            return number
    return -1


@borrowing
def _begin_due(state, grains, s, frames):
    """Begin the grains of a tick."""
    gap = RATE / s.density
    while state.next < frames:
        number = _free_grain(grains)
        if number >= 0:
            _begin(grains[number], s, state.number, state.frozen)
            # within the tick, it has not begun yet
            grains[number].age = -math.floor(max(state.next, 0.0))
        regular = 0.01 * s.regularity
        wait = waiting_time(_KEY, state.number * _DRAWS + np.uint64(4))
        state.next += max(gap * (regular + (1.0 - regular) * wait), 1.0)
        state.number += np.uint64(1)
    state.next -= frames


@borrowing
def _add(wet, ring, grain, newest, moves):
    """A tick of one grain, added to ``wet``."""
    for i in range(TICK):
        if grain.age >= 0.0:
            if grain.age >= grain.length:
                grain.length = 0.0
                return
            window = math.sin(math.pi * grain.age / grain.length)
            gain = window * window
            # as the newest is at the end of the tick
            back = max(grain.place + (TICK - 1 - i) * moves, 2.0)
            left = read_cubic(ring[0], newest, back)
            right = read_cubic(ring[1], newest, back)
            wet[2 * i] += np.float32(gain * grain.left * left)
            wet[2 * i + 1] += np.float32(gain * grain.right * right)
            grain.place += grain.step + moves
        grain.age += 1.0


@borrowing
def _scatter(x, before, values, memory):
    ring, states, grains, wet = memory
    state, loudest, mask = states[0], np.float32(0.0), _RING - 1
    for tick in range(len(values)):
        s = values[tick]
        last = before[0] if tick == 0 else values[tick - 1]
        base = 2 * tick * TICK
        state.frozen = 1.0 if s.freeze >= 50.0 else 0.0
        moves = 1.0 - state.frozen
        feedback = np.float32(0.01 * s.feedback)
        if state.frozen == 0.0:
            for c in range(2):
                for i in range(TICK):
                    # grains may add up to more than they were made of: held, so that it stays
                    fed = x[base + 2 * i + c] + np.float32(math.tanh(feedback * wet[2 * i + c]))
                    ring[c, (state.at + i) & mask] = fed if abs(fed) > 1e-12 else np.float32(0.0)
            state.at += TICK
        wet[:] = np.float32(0.0)
        _begin_due(state, grains, s, TICK)
        for number in range(_GRAINS):
            if grains[number].length > 0.0:
                _add(wet, ring, grains[number], state.at - 1, moves)
        # grains that overlap add up in power
        overlap = max(0.000375 * s.size * s.density, 1.0)
        level = np.float32(1.0 / math.sqrt(overlap))
        for i in range(2 * TICK):
            wet[i] *= level
            loudest = max(loudest, abs(wet[i]))
            share = (i // 2 + 1.0) / TICK
            mix = np.float32(0.01 * (last.mix + share * (s.mix - last.mix)))
            x[base + i] += mix * (wet[i] - x[base + i])
    return loudest


class Scatter(CompiledEffect):
    """A ring of what was heard, and grains that read it."""

    def __init__(self, made: object) -> None:
        memory = (
            np.zeros((2, _RING), np.float32),
            np.zeros(1, STATE),
            np.zeros(_GRAINS, GRAIN),
            np.zeros(2 * TICK, np.float32),
        )
        super().__init__(_scatter, memory, holds_s=2.0 * _BACK_S)

    def tail_s(self) -> float:
        """As far back as grains read, and one of them."""
        return _BACK_S + 2.0


KIND = EffectKind(
    "scatter", "Scatter", SCATTER, Scatter, "Grains of the last eight seconds.", "Material"
)
