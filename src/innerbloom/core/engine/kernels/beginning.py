"""What all modulators share: their records, when they begin, and lags."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.engine.state import SHAPE, TICK
from innerbloom.core.instrument.parameters import Declared

MODULATOR = np.dtype(
    [
        ("kind", np.int64),  # place among the kinds
        ("at", np.int64),  # where its settings begin in a row
        ("shared", np.int64),  # one for all notes
        ("table", np.int64),  # its drawn curve
        ("first", np.int64),  # its first step, or moment of a contour
        ("count", np.int64),  # and how many
        ("heard", np.int64),  # what it listens to
    ],
    align=True,
)
"""A modulator as the engine runs it."""

MODULATOR_STATE = np.dtype(
    [
        ("begun", np.int64),
        ("serial", np.uint64),  # of the note it began with
        ("trigger", np.int64),
        ("phrase", np.int64),
        ("phase", np.float64),  # 0..1
        ("turns", np.int64),  # whole cycles, steps or draws so far
        ("other_phase", np.float64),
        ("other_turns", np.int64),
        ("age", np.float64),  # seconds
        ("value", np.float64),
        ("from_value", np.float64),
        ("walk", np.float64),
        ("shape", SHAPE),
    ],
    align=True,
)
"""What one modulator of one voice remembers."""

TICK_S = TICK / 48_000.0
NOTE, PHRASE = 0, 1
"""When a modulator starts again: places of the words; never is 2."""


def place_of(kind: tuple[Declared, ...], id_: str) -> int:
    """Where a setting stands among those of its kind."""
    return [one.id for one in kind].index(id_)


@borrowing
def lag_share(milliseconds):
    """Share of the way made in a tick by a one-pole lag of this time constant."""
    return 1.0 if milliseconds <= 0.0 else 1.0 - math.exp(-TICK_S * 1000.0 / milliseconds)


@borrowing
def starts(state, voice, phrase, restart):
    """Whether the modulator begins (again) at this tick."""
    due = state.begun == 0
    if restart == NOTE:
        due = due or state.serial != voice.serial or state.trigger != voice.trigger
    elif restart == PHRASE:
        due = due or state.phrase != phrase
    state.begun = 1
    state.serial = voice.serial
    state.trigger = voice.trigger
    state.phrase = phrase
    if due:
        state.age = 0.0
        state.turns = 0
        state.other_turns = 0
    return due
