"""The soft ceiling: output that never leaves -1..1, without clipping.

A limiter with one tick of look-ahead: a tick's gain moves straight between values that
both it and its neighbour can bear, so no sample passes the ceiling. Gain-ramp limiting
with look-ahead follows U. Zölzer (ed.), *DAFX*, 2nd ed., Wiley 2011, section 4.2.
"""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.engine.state import TICK

CEILING = 10.0 ** (-0.5 / 20.0)
"""Highest sample value, -0.5 dBFS."""

_RECOVERY = 0.006
"""Share of the way back to full level made in a tick (time constant about 220 ms)."""


@borrowing
def limit_ticks(out, waiting, memory, level_db):
    """Limit whole ticks in place; the output comes one tick late.

    Parameters
    ----------
    out : float32 array, shape (ticks * TICK, 2)
    waiting : float32 array, shape (TICK, 2)
        The tick that is looked ahead past; zeros at the start.
    memory : float64 array, shape (4,)
        Gain at the end of the last tick, gain the waiting tick can bear, smoothed
        output level, and the lowest gain since it was last read.
    level_db : float
        Level of the instrument.
    """
    target = 10.0 ** (level_db / 20.0)
    for at in range(0, len(out), TICK):
        level_from = memory[2]
        memory[2] += 0.15 * (target - memory[2])
        step = (memory[2] - level_from) / TICK
        peak = 0.0
        for i in range(TICK):
            level = np.float32(level_from + step * (i + 1))
            for c in range(2):
                value = out[at + i, c] * level
                out[at + i, c] = value
                peak = max(peak, abs(np.float64(value)))
        bearable = min(1.0, CEILING / peak) if peak > 0.0 else 1.0
        gain_from = memory[0]
        gain_to = min(min(memory[1], bearable), gain_from + _RECOVERY * (1.0 - gain_from))
        slope = (gain_to - gain_from) / TICK
        for i in range(TICK):
            gain = np.float32(gain_from + slope * (i + 1))
            for c in range(2):
                next_value = out[at + i, c]
                out[at + i, c] = waiting[i, c] * gain
                waiting[i, c] = next_value
        memory[0] = gain_to
        memory[1] = bearable
        memory[3] = min(memory[3], gain_to)
