"""Static curves and timing of compressors and gates, in dB.

References
----------
.. [1] D. Giannoulis, M. Massberg and J. D. Reiss, "Digital dynamic range compressor design: a
   tutorial and analysis", Journal of the Audio Engineering Society 60(6), 2012: the gain computer
   with a soft knee (eq. 4), and the smooth decoupled peak detector (eq. 17).
.. [2] The same, "Parameter automation in a dynamic range compressor", Journal of the Audio
   Engineering Society 61(10), 2013: times that follow the crest factor.
"""

from __future__ import annotations

import math

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.rates import RATE

FLOOR_DB = -120.0
"""Level that counts as silence."""

_DB = 20.0 / math.log(10.0)
MOST_RATIO = 100.0
"""A ratio from which on the level stays where it is."""


@borrowing
def level_db(amplitude):
    """Level of an amplitude in dBFS, FLOOR_DB at least."""
    return _DB * math.log(max(amplitude, 1e-6))


@borrowing
def gain_of_db(db):
    """Linear gain of a level in dB."""
    return math.exp(db / _DB)


@borrowing
def gain_or_silence(db, lowest_db):
    """Linear gain of a level in dB, where the lowest is silence."""
    return 0.0 if db <= lowest_db + 0.01 else gain_of_db(db)


@borrowing
def slope_of(ratio):
    """How much of what lies above a threshold is taken away, 0..1."""
    return 1.0 if ratio >= MOST_RATIO else 1.0 - 1.0 / ratio


@borrowing
def over(level, threshold, knee):
    """How far a level lies above a threshold, with a soft knee of so many dB, 0 or more."""
    above = level - threshold
    if 2.0 * above <= -knee:
        return 0.0
    if 2.0 * above < knee:
        return (above + 0.5 * knee) ** 2 / (2.0 * knee)
    return above


@borrowing
def share_of(milliseconds):
    """Share of the way made in a frame at a time constant."""
    return 1.0 - math.exp(-1000.0 / (max(milliseconds, 0.01) * RATE))


@borrowing
def smooth(wanted, held, now, attack, release):
    """One frame of the decoupled detector: gives what it holds, and what it takes away now.

    ``wanted`` is what would be taken away at once, in dB, 0 or more.
    """
    held = max(wanted, held + release * (wanted - held))
    return held, now + attack * (held - now)
