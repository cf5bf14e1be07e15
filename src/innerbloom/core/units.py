"""Conversions between units, said once."""

from __future__ import annotations

import math


def db_to_gain(db: float) -> float:
    """Linear gain of a level in dB.

    Examples
    --------
    >>> db_to_gain(20.0)
    10.0
    """
    return float(10.0 ** (db / 20.0))


def gain_to_db(gain: float, least: float = 1e-12) -> float:
    """Level in dB of a linear gain; that of ``least`` for anything below it."""
    return 20.0 * math.log10(max(gain, least))
