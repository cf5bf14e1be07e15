"""Chorus: the stream beside itself, late by a time that sways; with feedback, a flanger."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.delay_line import glide, read_cubic, ring_size
from innerbloom.core.dsp.rates import RATE, TICK, TICK_S
from innerbloom.core.effects.compiled import CompiledEffect
from innerbloom.core.effects.kind import EffectKind

# fmt: off
CHORUS: tuple[Declared, ...] = (
    P("voices", "voices", "Chorus", "", 1, 4, 3, "How many late ones.", whole_number=True,
      movable=False),
    P("delay", "delay", "Chorus", "ms", 0.5, 40, 14, "How late they are on average.", "log"),
    P("depth", "depth", "Chorus", "%", 0, 100, 35, "How far the delay sways."),
    P("rate", "rate", "Chorus", "Hz", 0.01, 10, 0.4, "How fast it sways.", "log"),
    P("feedback", "feedback", "Chorus", "%", -95, 95, 0,
      "How much of what comes out goes in again; with short delays, a flanger.", sign=True),
    P("spread", "spread", "Output", "%", 0, 100, 80, "From one place to all across."),
    P("mix", "mix", "Output", "%", 0, 100, 50, "How much of it is late."),
)
# fmt: on

_LONGEST_MS = 82.0
_RING = ring_size(_LONGEST_MS * RATE / 1000.0)
_VOICES = 4
_GLIDE = 1.0 - math.exp(-TICK_S / 0.05)


@borrowing
def _frames_of(delay, depth, phase, voice):
    """Delay of a voice in frames, about a delay in ms."""
    sway = math.sin(2.0 * math.pi * (phase + voice / _VOICES))
    return max(1.0, 0.001 * RATE * delay * (1.0 + 0.0099 * depth * sway))


@borrowing
def _chorus(x, before, values, memory):
    rings, clock, back, delays = memory
    loudest = 0.0
    for tick in range(len(values)):
        s = values[tick]
        last = before[0] if tick == 0 else values[tick - 1]
        if delays[1] == 0.0:
            delays[:] = s.delay
        delay, phase = delays[1], clock[0]
        glide(delays, s.delay, _GLIDE)
        ahead = phase + s.rate * TICK / RATE
        count = np.int64(s.voices)
        at, base = np.int64(clock[1]), 2 * tick * TICK
        for i in range(TICK):
            share = (i + 1.0) / TICK
            mix = 0.01 * (last.mix + share * (s.mix - last.mix))
            feedback = 0.01 * (last.feedback + share * (s.feedback - last.feedback))
            wide = 0.01 * (last.spread + share * (s.spread - last.spread))
            for c in range(2):
                rings[c, (at + i) & (_RING - 1)] = np.float32(
                    x[base + 2 * i + c] + feedback * back[c]
                )
            left = right = 0.0
            for voice in range(count):
                from_ = _frames_of(delay, last.depth, phase, voice)
                to = _frames_of(delays[1], s.depth, ahead, voice)
                frames = from_ + share * (to - from_)
                place = 0.0 if count == 1 else wide * (2.0 * voice / (count - 1.0) - 1.0)
                left += read_cubic(rings[0], at + i, frames) * math.sqrt(1.0 - place)
                right += read_cubic(rings[1], at + i, frames) * math.sqrt(1.0 + place)
            level = 1.0 / math.sqrt(count)
            left, right = left * level, right * level
            back[0], back[1] = left * level, right * level
            loudest = max(loudest, abs(left), abs(right))
            x[base + 2 * i] += np.float32(mix * (left - x[base + 2 * i]))
            x[base + 2 * i + 1] += np.float32(mix * (right - x[base + 2 * i + 1]))
        clock[0] = ahead - math.floor(ahead)
        clock[1] += TICK
    return loudest


class Chorus(CompiledEffect):
    """Up to four late voices, each at its own point of one sway."""

    def __init__(self, made: object) -> None:
        memory = (np.zeros((2, _RING), np.float32), np.zeros(2), np.zeros(2), np.zeros(2))
        super().__init__(_chorus, memory, holds_s=_LONGEST_MS / 1000.0)

    def tail_s(self) -> float:
        """Until the strongest feedback has died away by 60 dB."""
        return 0.001 * _LONGEST_MS * 3.0 / -math.log10(0.95)


KIND = EffectKind(
    "chorus",
    "Chorus",
    CHORUS,
    Chorus,
    "Late by a time that sways; with feedback, a flanger.",
    "Movement",
    picture="response",
)
