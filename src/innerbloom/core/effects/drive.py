"""Drive: saturation, folding and tape at four times the rate."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Choice, Declared, option
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.antiderivative import FOLD, SOFT, curve, shaped
from innerbloom.core.dsp.dynamics import gain_of_db
from innerbloom.core.dsp.hysteresis import HYSTERONS, play
from innerbloom.core.dsp.oversampling import (
    LATENCY,
    LINE,
    TIMES,
    downsample,
    upsample,
)
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.effects.compiled import CompiledEffect, loudest_of
from innerbloom.core.effects.kind import EffectKind

# fmt: off
DRIVE: tuple[Declared, ...] = (
    P("drive", "drive", "Drive", "dB", 0, 48, 12,
      "Gain into the curve; a signal that peaks at -12 dB keeps its peak."),
    Choice("shape", "shape", ("saturate", "fold", "tape"), "saturate",
           "Saturate levels off; fold turns back; tape depends on where it came from.", "Drive"),
    P("hardness", "hardness", "Drive", "%", 0, 100, 0, "From soft (0) to hard corners (100).",
      when=("shape", ("saturate",))),
    P("width", "loop", "Drive", "%", 0, 100, 50, "Width of the tape's loop.",
      when=("shape", ("tape",))),
    P("lean", "lean", "Drive", "%", -100, 100, 0,
      "Leans to one side, which adds even harmonics.", sign=True),
    P("tone", "tone", "Output", "Hz", 200, 20_000, 20_000, "Low-pass after it.", "log"),
    P("mix", "mix", "Output", "%", 0, 100, 100, "How much of the stream is driven."),
    P("gain", "gain", "Output", "dB", -24, 24, 0, "Level after it.", sign=True),
)
# fmt: on

_FOLD, _TAPE = option(DRIVE, "shape", "fold"), option(DRIVE, "shape", "tape")
_PEAK = 0.25
"""Amplitude of a signal that keeps its peak: -12 dB."""

_DC_SHARE = 1.0 - math.exp(-2.0 * math.pi * 8.0 / RATE)
_MOST_TONE = 19_999.0

CHANNEL = np.dtype(
    [
        ("up", np.float32, (LINE,)), ("down", np.float32, (TIMES, LINE)),
        ("fine", np.float32, (TIMES * TICK,)), ("rows", np.float32, (TIMES, TICK)),
        ("curve", np.float64, (5,)),
        ("dry", np.float64),  # one sample late, as the curve is
        ("field", np.float64), ("hysterons", np.float64, (HYSTERONS,)),
        ("offset", np.float64), ("low", np.float64),
    ]
)  # fmt: skip


@borrowing
def _hardness(s):
    return 0.0 if s.shape == _TAPE else 0.01 * s.hardness


@borrowing
def _kind(s):
    return FOLD if s.shape == _FOLD else SOFT


@borrowing
def _level(s, gain, lean):
    """Gain after the curve that keeps a peak of -12 dB."""
    kind, hard = _kind(s), _hardness(s)
    base = curve(lean, 0, hard, kind)
    steep = gain * _PEAK
    if kind == FOLD:
        steep = min(steep, 1.0)
    up, down = (
        curve(lean + steep, 0, hard, kind) - base,
        base - curve(lean - steep, 0, hard, kind),
    )
    return _PEAK / max(up, down, 1e-3)


@borrowing
def _shape_tick(channel, s, path, mix):
    """A tick at four times the rate, in place; ``path`` is gain in, lean and gain out, from, to."""
    fine, hard, kind = channel.fine, _hardness(s), _kind(s)
    gain, lean, level = path[0], path[1], path[2]
    steps = TIMES * TICK
    gain_step, lean_step = (path[3] - gain) / steps, (path[4] - lean) / steps
    level_step, mix_step = (path[5] - level) / steps, (mix[1] - mix[0]) / steps
    share = mix[0]
    for i in range(steps):
        gain, lean, level = gain + gain_step, lean + lean_step, level + level_step
        share += mix_step
        x = np.float64(fine[i])
        field = gain * x + lean
        if s.shape == _TAPE:
            pulled = play(channel.hysterons, channel.field, field, 0.01 * s.width)
            channel.field = field
            wet = level * shaped(pulled, channel.curve, hard, kind)
        else:
            wet = level * shaped(field, channel.curve, hard, kind)
        fine[i] = np.float32(channel.dry + share * (wet - channel.dry))
        channel.dry = x


@borrowing
def _finish(x, at, channel, lean, tone, gain, gain_step):
    """Offset off, low-pass, and level after it."""
    for i in range(at, at + 2 * TICK, 2):
        value = np.float64(x[i])
        channel.offset += _DC_SHARE * (value - channel.offset)
        if lean:
            value -= channel.offset
        channel.low += tone * (value - channel.low)
        gain += gain_step
        x[i] = np.float32(gain * channel.low)
    if abs(channel.low) < 1e-12:
        channel.low = channel.offset = 0.0


@borrowing
def _drive(x, before, values, memory):
    channels = memory[0]
    for tick in range(len(values)):
        s = values[tick]
        last = before[0] if tick == 0 else values[tick - 1]
        gain, to_gain = gain_of_db(last.drive), gain_of_db(s.drive)
        lean, to_lean = 0.01 * last.lean, 0.01 * s.lean
        path = (gain, lean, _level(last, gain, lean), to_gain, to_lean, _level(s, to_gain, to_lean))
        mix = (0.01 * last.mix, 0.01 * s.mix)
        tone = 1.0
        if s.tone < _MOST_TONE:
            tone = 1.0 - math.exp(-2.0 * math.pi * s.tone / RATE)
        out = gain_of_db(last.gain)
        out_step = (gain_of_db(s.gain) - out) / TICK
        for c in range(2):
            channel, at = channels[c], 2 * tick * TICK + c
            upsample(channel.fine, channel.up, channel.rows, x[at:])
            _shape_tick(channel, s, path, mix)
            downsample(x[at:], channel.down, channel.rows[0], channel.fine)
            _finish(x, at, channel, lean != 0.0 or to_lean != 0.0, tone, out, out_step)
    return loudest_of(x)


class Drive(CompiledEffect):
    """A curve at four times the rate, averaged between samples by its antiderivatives."""

    latency = LATENCY

    def __init__(self, made: object) -> None:
        super().__init__(_drive, (np.zeros(2, CHANNEL),), holds_s=LATENCY / RATE)

    def tail_s(self) -> float:
        """Its filters' length."""
        return 2 * LATENCY / RATE


KIND = EffectKind(
    "drive",
    "Drive",
    DRIVE,
    Drive,
    "Saturates, folds, or magnetises as tape does.",
    "Grit",
    picture="shape",
)
