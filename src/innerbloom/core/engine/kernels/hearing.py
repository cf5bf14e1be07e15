"""Modulators that listen: to a layer or the whole, and to a recording measured before."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.analysis.contour import CONTOUR_HOP
from innerbloom.core.compiling import borrowing
from innerbloom.core.engine.kernels.beginning import lag_share, place_of, starts
from innerbloom.core.engine.state import TICK
from innerbloom.core.instrument import modulator_parameters as declared
from innerbloom.core.instrument.modulator_parameters import (
    BRIGHTNESS_OCTAVES,
    LOWEST_BRIGHTNESS_HZ,
    LOWEST_PITCH_HZ,
    PITCH_OCTAVES,
)
from innerbloom.core.instrument.parameters import option

_MEASURE, _FLOOR, _RISE, _FALL = (
    place_of(declared.FOLLOWER, one) for one in ("measure", "floor", "rise", "fall")
)
PITCH = option(declared.FOLLOWER, "measure", "pitch")
# a contour's settings begin with those of a follower
_CONTOUR_PACE, _CONTOUR_RESTART, _CONTOUR_ONCE = (
    place_of(declared.CONTOUR, one) for one in ("pace", "restart", "once")
)


@borrowing
def follow(state, row, at, power, change, hertz, fresh, out):
    """Level, brightness or pitch of what was heard: power, power of the differences, and Hz.

    The root of the ratio of both powers is the frequency of a sine that changes as fast
    (B. Hjorth, "EEG analysis based on time domain properties", 1970: mobility).
    """
    measure = row[at + _MEASURE]
    aim = state.value
    if measure < 0.5:
        floor = row[at + _FLOOR]
        aim = (10.0 * math.log10(power + 1e-20) - floor) / -floor
    elif measure == PITCH:
        if hertz > 0.0:
            aim = math.log2(hertz / LOWEST_PITCH_HZ) / PITCH_OCTAVES
    elif power > 1e-10:
        half = min(0.5 * math.sqrt(change / power), 1.0)
        sine = 48_000.0 / math.pi * math.asin(half)
        aim = math.log2(max(sine, 1.0) / LOWEST_BRIGHTNESS_HZ) / BRIGHTNESS_OCTAVES
    aim = min(max(aim, 0.0), 1.0)
    share = 1.0 if fresh else lag_share(row[at + (_RISE if aim > state.value else _FALL)])
    state.value += share * (aim - state.value)
    out[0] = state.value


@borrowing
def contour(state, modulator, row, at, voice, phrase, contours, out):
    """A recording's course, as if it were heard from where the modulator begins."""
    fresh = starts(state, voice, phrase, row[at + _CONTOUR_RESTART])
    if fresh:
        state.phase = 0.0
    last = modulator.count - 1
    here = min(np.int64(state.phase), last)
    share = min(state.phase - here, 1.0)
    one = contours[modulator.first + here]
    other = contours[modulator.first + min(here + 1, last)]
    follow(
        state, row, at, one[0] + share * (other[0] - one[0]), one[1] + share * (other[1] - one[1]),
        one[2] + share * (other[2] - one[2]), fresh, out,
    )  # fmt: skip
    state.phase += 2.0 ** row[at + _CONTOUR_PACE] * (TICK / CONTOUR_HOP)
    if state.phase >= modulator.count:
        once = row[at + _CONTOUR_ONCE] > 0.5
        state.phase = np.float64(last) if once else state.phase % modulator.count
