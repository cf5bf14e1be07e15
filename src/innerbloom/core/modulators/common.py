"""What all modulators share: their records and settings, when they begin, and lags."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.curves import TABLE_STEPS
from innerbloom.core.declare.parameters import Choice, Declared, option
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.rates import TICK_S
from innerbloom.core.dsp.state import ENVELOPE

# fmt: off
RESTART = Choice("restart", "starts again", ("with each note", "with each phrase", "never"),
                 "with each note", "A phrase begins when a key goes down while none is.", "Start")
ONCE = Choice("once", "runs", ("round and round", "once"), "round and round",
              "Once stays where it ends.", "Start")
# fmt: on
PER_NOTE, PER_PHRASE = (option((RESTART,), "restart", one) for one in RESTART.options[:2])
STAYS = option((ONCE,), "once", "once")


def clock(rate: float, beats: float, of: str, per: str) -> tuple[Declared, ...]:
    """How fast a modulator runs; declared first and read by :func:`pace` in this order."""
    return (
        Choice(
            "clock",
            "counts in",
            ("Hz", "beats"),
            "Hz",
            "Whether the pace is set by itself or by the tempo.",
            "Pace",
        ),
        P(
            "rate",
            "rate",
            "Pace",
            "Hz",
            0.001,
            60,
            rate,
            f"{of} a second.",
            "log",
            when=("clock", ("Hz",)),
        ),
        P(
            "beats",
            "length",
            "Pace",
            "beats",
            0.0625,
            256,
            beats,
            f"Beats {per}.",
            "log",
            when=("clock", ("beats",)),
        ),
        P(
            "key_rate",
            "follows the key",
            "Pace",
            "%",
            -100,
            100,
            0,
            "How far the pace follows the key: at 100 % an octave up is twice as fast.",
        ),
    )


def incoming(id_: str, name: str) -> P:
    """What routes bring a modulator that works on others."""
    return P(id_, name, "In", "", -1, 1, 0, "What it stands at before routes move it.")


_CLOCK = clock(1.0, 1.0, "", "")
_COUNTS, _RATE, _BEATS, _KEY_RATE = (
    [one.id for one in _CLOCK].index(id_) for id_ in ("clock", "rate", "beats", "key_rate")
)
_BY_BEATS = option(_CLOCK, "clock", "beats")

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
        ("envelope", ENVELOPE),
    ],
    align=True,
)
"""What one modulator of one voice remembers."""


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
    if restart == PER_NOTE:
        due = due or state.serial != voice.serial or state.trigger != voice.trigger
    elif restart == PER_PHRASE:
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


@borrowing
def is_new_note(state, voice):
    """Whether the note is another than at the tick before."""
    new = state.begun == 0 or state.serial != voice.serial
    state.begun = 1
    state.serial = voice.serial
    return new


@borrowing
def table_at(table, place):
    """A table of even steps at a place 0..1, straight in between."""
    at = min(max(place, 0.0), 1.0) * TABLE_STEPS
    below = np.uint64(min(at, TABLE_STEPS - 1.0))
    here = table[below]
    return here + (at - np.float64(below)) * (table[below + np.uint64(1)] - here)


@borrowing
def pace(row, at, now):
    """Cycles or steps a second of a modulator that begins with :func:`clock`."""
    by_beats = row[at + _COUNTS] == _BY_BEATS
    rate = now.tempo / 60.0 / row[at + _BEATS] if by_beats else row[at + _RATE]
    return rate * 2.0 ** (0.01 * row[at + _KEY_RATE] * (now.voice.pitch - 60.0) / 12.0)
