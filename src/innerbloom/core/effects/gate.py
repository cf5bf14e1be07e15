"""Gate: takes away what is quiet, at once or little by little."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Choice, Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.dynamics import (
    FLOOR_DB,
    MOST_RATIO,
    gain_of_db,
    level_db,
    over,
    share_of,
)
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.effects.compiled import CompiledEffect, loudest_of
from innerbloom.core.effects.compressor import heard_by
from innerbloom.core.effects.kind import EffectKind, Ticks

# fmt: off
GATE: tuple[Declared, ...] = (
    P("threshold", "threshold", "Level", "dB", -90, 0, -50, "Level below which it takes away."),
    P("ratio", "ratio", "Level", ": 1", 1, 100, 100,
      "How many dB less come out for one dB less that goes in; 100 shuts it at once.", "log",
      marks=((100, "shut"),)),
    P("range", "range", "Level", "dB", 0, 90, 60, "Most that it takes away; 90 is all.",
      marks=((90, "all"),)),
    P("hysteresis", "stays open", "Level", "dB", 0, 24, 6,
      "How far below the threshold the level has to fall until it shuts."),
    P("attack", "attack", "Time", "ms", 0.1, 200, 1, "Time constant of opening.", "log"),
    P("hold", "hold", "Time", "ms", 0, 2_000, 40, "How long it stays open after that.", "cubic"),
    P("release", "release", "Time", "ms", 5, 4_000, 200, "Time constant of shutting.", "log"),
    Choice("listens", "listens to", ("itself", "a layer", "the keys"), "itself",
           "What has to be loud: its own stream, a layer that is chosen, or any key that is down.",
           "Level"),
)
# fmt: on

STATE = np.dtype(
    [("open", np.int64), ("left", np.float64), ("level", np.float64), ("taken", np.float64)]
)
"""Whether it is open, frames of hold that are left, the level it hears, and dB taken away."""

_FALL = 0.05
"""Time constant in seconds with which the level it hears falls: longer than a period at 20 Hz."""

_ALL_DB = 90.0
_FALL_SHARE = 1.0 - np.exp(-1.0 / (_FALL * RATE))


@borrowing
def _wanted(state, s, level):
    """What is to be taken away in dB, and whether it is on its way up."""
    if level >= s.threshold:
        state.open, state.left = 1, 0.001 * s.hold * RATE
    elif state.open == 1 and level < s.threshold - s.hysteresis:
        state.left -= 1.0
        if state.left < 0.0:
            state.open = 0
    if state.open == 1:
        return 0.0
    if s.ratio >= MOST_RATIO:
        return s.range
    return min(s.range, (s.ratio - 1.0) * over(-level, -s.threshold, 0.0))


@borrowing
def _gate(x, heard, before, values, memory):
    states, shown = memory
    state = states[0]
    for tick in range(len(values)):
        s = values[tick]
        attack, release = share_of(s.attack), share_of(s.release)
        level = FLOOR_DB
        for i in range(2 * tick * TICK, 2 * (tick + 1) * TICK, 2):
            amplitude = np.float64(max(abs(heard[i]), abs(heard[i + 1])))
            state.level = max(amplitude, state.level - _FALL_SHARE * state.level)
            level = level_db(state.level)
            wanted = _wanted(state, s, level)
            share = attack if wanted < state.taken else release
            state.taken += share * (wanted - state.taken)
            gain = np.float32(0.0 if state.taken > _ALL_DB - 0.1 else gain_of_db(-state.taken))
            x[i] *= gain
            x[i + 1] *= gain
        shown[0], shown[1] = -state.taken, level
    return loudest_of(x)


class Gate(CompiledEffect):
    """One gain for both channels; shows what it takes away and the level it hears, in dB."""

    shown_count = 2

    def __init__(self, made: object) -> None:
        super().__init__(_gate, (np.zeros(1, STATE), np.array([0.0, FLOOR_DB])))

    def _work(
        self, audio: NDArray[np.float32], before: NDArray[Any], values: NDArray[Any], ticks: Ticks
    ) -> float:
        heard = heard_by(audio, int(values["listens"][0]), ticks)
        return float(_gate(audio, heard, before, values, self._memory))


KIND = EffectKind(
    "gate",
    "Gate",
    GATE,
    Gate,
    "Takes away what is quiet, at once or little by little.",
    "Dynamics",
    listens=True,
    shows=("taken away", "level"),
    picture="levels",
)
