"""Three bands: wildly different recordings brought to one balance, band by band."""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.crossover import SECTIONS, settle, split, tuned
from innerbloom.core.dsp.dynamics import (
    gain_of_db,
    level_db,
    over,
    share_of,
    slope_of,
)
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.effects.compiled import CompiledEffect, loudest_of, number_of
from innerbloom.core.effects.kind import EffectKind

NAMES = ("low", "middle", "high")


def _band(name: str, threshold: float) -> tuple[Declared, ...]:
    group = name.title()
    return (
        P(f"{name}_threshold", f"{name} threshold", group, "dB", -60, 0, threshold,
          "Level of the band above which it takes away."),
        P(f"{name}_ratio", f"{name} ratio", group, ": 1", 1, 100, 4,
          "How many dB more go in for one dB more that comes out.", "log"),
        P(f"{name}_floor", f"{name} lifted below", group, "dB", -80, 0, -45,
          "Level of the band below which it lifts."),
        P(f"{name}_lift", f"{name} lift", group, "dB", 0, 36, 0, "Most that it lifts."),
        P(f"{name}_gain", f"{name} gain", group, "dB", -24, 24, 0, "Level of the band after it.",
          sign=True),
    )  # fmt: skip


# fmt: off
THREE_BANDS: tuple[Declared, ...] = (
    P("split_low", "lower split", "Splits", "Hz", 40, 1_000, 120,
      "Where low and middle part.", "log"),
    P("split_high", "upper split", "Splits", "Hz", 1_000, 12_000, 2_500,
      "Where middle and high part.", "log"),
    P("attack", "attack", "Time", "ms", 0.5, 200, 8, "Time constant of taking away.", "log"),
    P("release", "release", "Time", "ms", 10, 4_000, 140, "Time constant of giving back.", "log"),
    P("mix", "mix", "Output", "%", 0, 100, 50, "How much of each band is worked on."),
    P("gain", "gain", "Output", "dB", -24, 24, 0, "Level after it.", sign=True),
    *_band("low", -26), *_band("middle", -28), *_band("high", -34),
)
# fmt: on

_LOW_SPLIT, _HIGH_SPLIT = (number_of(THREE_BANDS, f"split_{one}") for one in ("low", "high"))
_ATTACK, _RELEASE = number_of(THREE_BANDS, "attack"), number_of(THREE_BANDS, "release")
_MIX, _GAIN = number_of(THREE_BANDS, "mix"), number_of(THREE_BANDS, "gain")
_FIRST = number_of(THREE_BANDS, "low_threshold")
_RATIO, _FLOOR, _LIFT, _OWN_GAIN, _EACH = 1, 2, 3, 4, 5
_KNEE = 6.0
_LEVEL_SHARE = 1.0 - np.exp(-1.0 / (0.010 * RATE))
_NOTHING_DB = -80.0
"""What lies below is not lifted: it is noise, or nothing."""

BAND = np.dtype([("square", np.float64), ("change", np.float64)])
"""Mean square of the last 10 ms, and what is added to the band's level in dB."""


@borrowing
def _change(row, at, level):
    """What is wanted of a band at a level, in dB: below 0 taken away, above 0 lifted."""
    slope = slope_of(row[at + _RATIO])
    taken = slope * over(level, row[at], _KNEE)
    lifted = 0.0
    if level > _NOTHING_DB:
        lifted = min(row[at + _LIFT], slope * over(-level, -row[at + _FLOOR], _KNEE))
    return lifted - taken


@borrowing
def _follow(band, row, at, square, attack, release):
    """One frame of a band's level; gives the gain that it asks for."""
    band.square += _LEVEL_SHARE * (square - band.square)
    wanted = _change(row, at, 0.5 * level_db(band.square))
    share = attack if wanted < band.change else release
    band.change += share * (wanted - band.change)
    return gain_of_db(band.change)


@borrowing
def _worked(number, left, right, band, row, times, mix):
    """Gain of a band at a frame, as far as it is worked on."""
    square = max(left[number] ** 2, right[number] ** 2)
    at = _FIRST + number * _EACH
    return 1.0 + mix * (_follow(band, row, at, square, times[0], times[1]) - 1.0)


@borrowing
def _sum_up(parts, low, middle, high):
    """What three bands of a frame and channel add up to, each by its gain."""
    return parts[0] * low + parts[1] * middle + parts[2] * high


@borrowing
def _three_bands(x, before, values, memory):
    filters, bands, gains, shown = memory
    for tick in range(len(values)):
        row = values[tick]
        last = before[0] if tick == 0 else values[tick - 1]
        low_g, high_g = tuned(last[_LOW_SPLIT]), tuned(last[_HIGH_SPLIT])
        low_step = (tuned(row[_LOW_SPLIT]) - low_g) / TICK
        high_step = (tuned(row[_HIGH_SPLIT]) - high_g) / TICK
        times = (share_of(row[_ATTACK]), share_of(row[_RELEASE]))
        mix, gain = 0.01 * last[_MIX], gain_of_db(last[_GAIN])
        mix_step = (0.01 * row[_MIX] - mix) / TICK
        gain_step = (gain_of_db(row[_GAIN]) - gain) / TICK
        for number in range(3):
            at = _FIRST + number * _EACH + _OWN_GAIN
            gains[0, number] = gain_of_db(last[at])
            gains[1, number] = (gain_of_db(row[at]) - gains[0, number]) / TICK
        for i in range(2 * tick * TICK, 2 * (tick + 1) * TICK, 2):
            low_g, high_g = low_g + low_step, high_g + high_step
            mix, gain = mix + mix_step, gain + gain_step
            left = split(np.float64(x[i]), low_g, high_g, filters[0])
            right = split(np.float64(x[i + 1]), low_g, high_g, filters[1])
            for number in range(3):
                gains[0, number] += gains[1, number]
            low = gain * gains[0, 0] * _worked(0, left, right, bands[0], row, times, mix)
            middle = gain * gains[0, 1] * _worked(1, left, right, bands[1], row, times, mix)
            high = gain * gains[0, 2] * _worked(2, left, right, bands[2], row, times, mix)
            x[i] = np.float32(_sum_up(left, low, middle, high))
            x[i + 1] = np.float32(_sum_up(right, low, middle, high))
        settle(filters[0])
        settle(filters[1])
        for number in range(3):
            shown[number] = mix * bands[number].change
    return loudest_of(x)


class ThreeBands(CompiledEffect):
    """Three bands and a gain for each; shows what is added to each band, in dB."""

    by_number = True
    shown_count = 3

    def __init__(self, made: object) -> None:
        memory = (np.zeros((2, SECTIONS, 2)), np.zeros(3, BAND), np.zeros((2, 3)), np.zeros(3))
        super().__init__(_three_bands, memory)


KIND = EffectKind(
    "bands",
    "Three bands",
    THREE_BANDS,
    ThreeBands,
    "Takes away and lifts in three bands, so that unlike recordings come to one balance.",
    "Dynamics",
    shows=("low", "middle", "high"),
    picture="levels",
)
