"""Compressor: takes away what is loud, of its own stream, or where another one is."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Choice, Declared, option
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.dynamics import (
    FLOOR_DB,
    gain_of_db,
    level_db,
    over,
    share_of,
    slope_of,
    smooth,
)
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.effects.compiled import CompiledEffect, loudest_of
from innerbloom.core.effects.kind import EffectKind, Ticks
from innerbloom.core.materials.protocol import Materials

# fmt: off
COMPRESSOR: tuple[Declared, ...] = (
    P("threshold", "threshold", "Level", "dB", -60, 0, -24, "Level above which it takes away."),
    P("ratio", "ratio", "Level", ": 1", 1, 100, 4,
      "How many dB more go in for one dB more that comes out; 100 holds the level.", "log",
      marks=((100, "held"),)),
    P("knee", "knee", "Level", "dB", 0, 24, 6, "Width of the bend at the threshold."),
    P("attack", "attack", "Time", "ms", 0.1, 200, 10, "Time constant of taking away.", "log"),
    P("release", "release", "Time", "ms", 5, 4_000, 180, "Time constant of giving back.", "log"),
    P("look_ahead", "looks ahead", "Time", "ms", 0, 10, 0,
      "Its stream comes so much later, so that it takes away before something loud is there.",
      movable=False),
    Choice("timing", "times", ("as set", "by itself"), "as set",
           "By itself, both times follow how spiky the sound is, up to those that are set.",
           "Time"),
    Choice("detector", "measures", ("peak", "RMS"), "peak",
           "RMS is the level of the last 10 ms, nearer to loudness.", "Level"),
    Choice("listens", "listens to", ("itself", "a layer", "the keys"), "itself",
           "What has to be loud: its own stream, a layer that is chosen, or any key that is down.",
           "Level"),
    Choice("make_up", "louder again", ("by itself", "by hand"), "by itself",
           "By itself, half of what would be taken from a full level is given back.", "Output"),
    P("gain", "gain", "Output", "dB", -24, 24, 0, "Level after it.", sign=True,
      when=("make_up", ("by hand",))),
    P("mix", "mix", "Output", "%", 0, 100, 100, "How much of the stream is compressed."),
)
# fmt: on

_BY_ITSELF = option(COMPRESSOR, "timing", "by itself")
_RMS = option(COMPRESSOR, "detector", "RMS")
_LAYER, _KEYS = option(COMPRESSOR, "listens", "a layer"), option(COMPRESSOR, "listens", "the keys")
_BY_HAND = option(COMPRESSOR, "make_up", "by hand")
_RMS_SHARE = 1.0 - math.exp(-1.0 / (0.010 * RATE))
_CREST_SHARE = 1.0 - math.exp(-1.0 / (0.200 * RATE))
_CREST_TICK = 1.0 - math.exp(-TICK / (0.200 * RATE))

STATE = np.dtype(
    [
        ("held", np.float64), ("taken", np.float64),  # dB
        ("square", np.float64),
        ("crest_peak", np.float64), ("crest_square", np.float64),
    ]
)  # fmt: skip


@borrowing
def _crest(state, square):
    """Square of the crest factor of what was heard lately; see [2] of :mod:`.dynamics`."""
    state.crest_square += _CREST_SHARE * (square - state.crest_square)
    state.crest_peak = max(square, state.crest_peak + _CREST_SHARE * (square - state.crest_peak))
    return state.crest_peak / max(state.crest_square, 1e-12)


@borrowing
def _made_up(s):
    """Gain after it in dB."""
    if s.make_up == _BY_HAND:
        return s.gain
    return -0.5 * s.threshold * slope_of(s.ratio)


@borrowing
def _compress(x, heard, before, values, memory):
    states, shown = memory
    state = states[0]
    # not in the record while it runs: nobody else writes there, but the compiler cannot know
    held, taken = state.held, state.taken
    for tick in range(len(values)):
        s = values[tick]
        last = before[0] if tick == 0 else values[tick - 1]
        slope, by_itself = slope_of(s.ratio), s.timing == _BY_ITSELF
        attack, release = share_of(s.attack), share_of(s.release)
        mix, made_up = 0.01 * last.mix, _made_up(last)
        mix_step, up_step = (0.01 * s.mix - mix) / TICK, (_made_up(s) - made_up) / TICK
        most = 0.0
        for i in range(2 * tick * TICK, 2 * (tick + 1) * TICK, 2):
            amplitude = np.float64(max(abs(heard[i]), abs(heard[i + 1])))
            square = amplitude * amplitude
            if by_itself:
                crest = _crest(state, square)
                attack, release = (
                    share_of(2.0 * s.attack / crest),
                    share_of(2.0 * s.release / crest),
                )
            if s.detector == _RMS:
                state.square += _RMS_SHARE * (square - state.square)
                amplitude = math.sqrt(state.square)
            wanted = slope * over(level_db(amplitude), s.threshold, s.knee)
            held, taken = smooth(wanted, held, taken, attack, release)
            most = max(most, taken)
            mix += mix_step
            made_up += up_step
            gain = np.float32(1.0 + mix * (gain_of_db(made_up - taken) - 1.0))
            x[i] *= gain
            x[i + 1] *= gain
        # no denormals once the sound has gone
        if held < 1e-9:
            held = taken = 0.0
        shown[0], shown[1] = -most, level_db(amplitude)
    state.held, state.taken = held, taken
    return loudest_of(x)


class Compressor(CompiledEffect):
    """One gain for both channels; shows what it takes away and the level it hears, in dB.

    What it hears is not delayed, and what it works on is, by its look-ahead.
    """

    shown_count = 2

    def __init__(self, made: LookAhead | None) -> None:
        self.latency = 0 if made is None else made.frames
        memory = (np.zeros(1, STATE), np.array([0.0, FLOOR_DB]))
        super().__init__(_compress, memory, holds_s=self.latency / RATE)
        self._line = np.zeros(2 * self.latency, np.float32)

    def _work(
        self, audio: NDArray[np.float32], before: NDArray[Any], values: NDArray[Any], ticks: Ticks
    ) -> float:
        heard = heard_by(audio, int(values["listens"][0]), ticks)
        if self.latency:
            heard = heard.copy()
            self._delay(audio)
        return float(_compress(audio, heard, before, values, self._memory))

    def _delay(self, audio: NDArray[np.float32]) -> None:
        both = np.concatenate((self._line, audio))
        audio[:] = both[: len(audio)]
        self._line = both[len(audio) :]

    def _forget(self) -> None:
        super()._forget()
        self._line = np.zeros_like(self._line)

    def tail_s(self) -> float:
        """What is still in the delay."""
        return self.latency / RATE


@dataclass(frozen=True)
class LookAhead:
    """By how many frames the stream lags behind what is heard."""

    frames: int


@cache
def _looking_ahead(frames: int) -> LookAhead:
    return LookAhead(frames)


def _prepare(effect: Any, materials: Materials) -> LookAhead:
    return _looking_ahead(round(0.001 * RATE * effect.settings.look_ahead))


def heard_by(audio: NDArray[np.float32], listens: int, ticks: Ticks) -> NDArray[np.float32]:
    """What an effect that listens is to hear, shape (frames * 2,): by the place of its choice.

    Of its own stream, it is the stream itself: to be read before it is written.
    """
    if listens == _LAYER:
        return np.zeros_like(audio) if ticks.heard is None else ticks.heard.reshape(-1)
    if listens == _KEYS:
        return np.full_like(audio, 1.0 if ticks.keys else 0.0)
    return audio


KIND = EffectKind(
    "compressor",
    "Compressor",
    COMPRESSOR,
    Compressor,
    "Takes away what is loud, of its own stream or where another one is.",
    "Dynamics",
    prepare=_prepare,
    listens=True,
    shows=("taken away", "level"),
    picture="levels",
)
