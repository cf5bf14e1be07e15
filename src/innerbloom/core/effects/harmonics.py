"""Low harmonics: a low end that small speakers carry, by what belongs above it.

References
----------
.. [1] E. Larsen and R. M. Aarts, "Reproducing low-pitched signals through small loudspeakers",
   Journal of the Audio Engineering Society 50(3), 2002: the pitch of a missing fundamental, made
   by a device without memory between two filters.
"""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.crossover import SECTIONS, settle, split, tuned
from innerbloom.core.dsp.dynamics import gain_of_db, gain_or_silence, share_of
from innerbloom.core.dsp.rates import TICK
from innerbloom.core.effects.compiled import CompiledEffect, loudest_of
from innerbloom.core.effects.kind import EffectKind

# fmt: off
HARMONICS: tuple[Declared, ...] = (
    P("corner", "corner", "Low harmonics", "Hz", 30, 300, 90, "What lies under it is doubled above.",
      "log"),
    P("amount", "amount", "Low harmonics", "dB", -40, 18, 0, "Level of what is made."),
    P("odd", "odd", "Low harmonics", "%", 0, 100, 40,
      "From even harmonics, warm, to odd ones, hollow."),
    P("reach", "reach", "Low harmonics", "x", 2, 10, 5,
      "How far above the corner harmonics are kept.", "log"),
    P("lows", "lows", "Output", "dB", -60, 6, 0, "Level of the lows themselves; -60 is silence."),
)
# fmt: on

_FOLLOW_MS = 12.0
_SILENCE_DB = -60.0

CHANNEL = np.dtype(
    [
        ("splits", np.float64, (SECTIONS, 2)),
        ("made", np.float64, (SECTIONS, 2)),
        ("square", np.float64),
    ]
)


@borrowing
def _harmonics_of(low, channel, share, odd):
    """Even and odd harmonics of a low sound, as loud as it is whatever its level."""
    channel.square += share * (low * low - channel.square)
    # twice the mean square is the square of a sine's peak
    peak = 2.0 * channel.square + 1e-12
    even = 2.0 * abs(low)
    third = 4.0 * low * low * low / peak - 3.0 * low
    return (1.0 - odd) * even + odd * third


@borrowing
def _low_harmonics(x, before, values, memory):
    channels, share = memory[0], share_of(_FOLLOW_MS)
    for tick in range(len(values)):
        s = values[tick]
        last = before[0] if tick == 0 else values[tick - 1]
        corner, top = tuned(last.corner), tuned(last.corner * last.reach)
        corner_step = (tuned(s.corner) - corner) / TICK
        top_step = (tuned(s.corner * s.reach) - top) / TICK
        lows, made = gain_or_silence(last.lows, _SILENCE_DB), gain_of_db(last.amount)
        lows_step = (gain_or_silence(s.lows, _SILENCE_DB) - lows) / TICK
        made_step = (gain_of_db(s.amount) - made) / TICK
        for i in range(2 * tick * TICK, 2 * (tick + 1) * TICK, 2):
            corner, top = corner + corner_step, top + top_step
            lows, made = lows + lows_step, made + made_step
            for c in range(2):
                channel = channels[c]
                low, middle, high = split(np.float64(x[i + c]), corner, top, channel.splits)
                harmonics = _harmonics_of(low, channel, share, 0.01 * s.odd)
                _, kept, _ = split(harmonics, corner, top, channel.made)
                x[i + c] = np.float32(lows * low + middle + high + made * kept)
        for c in range(2):
            settle(channels[c].splits)
            settle(channels[c].made)
    return loudest_of(x)


class LowHarmonics(CompiledEffect):
    """Splits the lows off and adds what they would sound like without them."""

    def __init__(self, made: object) -> None:
        super().__init__(_low_harmonics, (np.zeros(2, CHANNEL),), holds_s=0.1)


KIND = EffectKind(
    "harmonics",
    "Low harmonics",
    HARMONICS,
    LowHarmonics,
    "A low end that small speakers carry: harmonics of what lies under a corner.",
    "Grit",
    picture="partials",
)
