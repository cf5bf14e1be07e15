"""Follower: listens to a layer, or to the whole."""

from __future__ import annotations

import math

from innerbloom.core.analysis.contour import (
    BRIGHTNESS_OCTAVES,
    LOWEST_BRIGHTNESS_HZ,
    LOWEST_PITCH_HZ,
    PITCH_OCTAVES,
)
from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Choice, Declared, option
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.rates import RATE
from innerbloom.core.modulators.common import lag_share, place_of
from innerbloom.core.modulators.kind import ModulatorKind

# fmt: off
FOLLOWER: tuple[Declared, ...] = (
    Choice("measure", "listens for", ("level", "brightness", "pitch"), "level",
           "Level counts in dB, brightness in octaves from 50 Hz to 12.8 kHz, pitch from C1 to C8. "
           "Where no pitch is clear, the one before stays.", "Listen"),
    P("floor", "from", "Listen", "dB", -80, -6, -48, "Level that reads as nothing.",
      when=("measure", ("level",))),
    P("rise", "rise", "Listen", "ms", 0, 10_000, 20, "Time constant of the way up.", "cubic"),
    P("fall", "fall", "Listen", "ms", 0, 10_000, 200, "Time constant of the way down.", "cubic"),
)
# fmt: on
_MEASURE, _FLOOR, _RISE, _FALL = (
    place_of(FOLLOWER, one) for one in ("measure", "floor", "rise", "fall")
)
LEVEL, PITCH = option(FOLLOWER, "measure", "level"), option(FOLLOWER, "measure", "pitch")


@borrowing
def follow(state, row, at, heard, fresh, out):
    """Level, brightness or pitch of what was heard: power, power of the differences, and Hz.

    The root of the ratio of both powers is the frequency of a sine that changes as fast
    (B. Hjorth, "EEG analysis based on time domain properties", 1970: mobility).
    """
    power, change, hertz = heard
    measure = row[at + _MEASURE]
    aim = state.value
    if measure == LEVEL:
        floor = row[at + _FLOOR]
        aim = (10.0 * math.log10(power + 1e-20) - floor) / -floor
    elif measure == PITCH:
        if hertz > 0.0:
            aim = math.log2(hertz / LOWEST_PITCH_HZ) / PITCH_OCTAVES
    elif power > 1e-10:
        half = min(0.5 * math.sqrt(change / power), 1.0)
        sine = RATE / math.pi * math.asin(half)
        aim = math.log2(max(sine, 1.0) / LOWEST_BRIGHTNESS_HZ) / BRIGHTNESS_OCTAVES
    aim = min(max(aim, 0.0), 1.0)
    share = 1.0 if fresh else lag_share(row[at + (_RISE if aim > state.value else _FALL)])
    state.value += share * (aim - state.value)
    out[0] = state.value


@borrowing
def advance(modulator, state, row, now, drawn, heard, out):
    """See :class:`.ModulatorKind`."""
    follow(state, row, modulator.at, (heard[0], heard[1], heard[2]), False, out)


KIND = ModulatorKind(
    "follower",
    "follower",
    FOLLOWER,
    advance,
    "Listens to a layer, or to the whole.",
    needs="layer",
    shared=True,
)
