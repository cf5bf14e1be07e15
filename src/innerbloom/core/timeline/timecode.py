"""Frame rates and timecode (SMPTE ST 12-1); frames count from 0.

Rates are held as exact fractions, so that an hour at 29.97 is 107,892 frames and not a few samples more
or less. Drop frame leaves out numbers of frames and never frames: two a minute at 29.97, four at 59.94,
but for every tenth minute.
"""

from __future__ import annotations

import re
from fractions import Fraction
from typing import Literal

from innerbloom.core.errors import BloomError

RateName = Literal["23.976", "24", "25", "29.97", "30", "48", "50", "59.94", "60"]

RATES: dict[str, Fraction] = {
    "23.976": Fraction(24_000, 1_001),
    "24": Fraction(24),
    "25": Fraction(25),
    "29.97": Fraction(30_000, 1_001),
    "30": Fraction(30),
    "48": Fraction(48),
    "50": Fraction(50),
    "59.94": Fraction(60_000, 1_001),
    "60": Fraction(60),
}
DROPPING = ("29.97", "59.94")
"""Rates at which numbers of frames can be dropped."""

_NEAR = 2e-3
"""Relative difference within which a rate that a film tells is one of these."""


def rate_named(rate: float | Fraction) -> RateName | None:
    """The name of the rate that a film tells, or None where it is none of these.

    Examples
    --------
    >>> rate_named(29.97), rate_named(24000 / 1001), rate_named(12.5)
    ('29.97', '23.976', None)
    """
    # 23.976 and 24 are 1e-3 apart: the nearest counts
    name = min(RATES, key=lambda one: abs(float(RATES[one]) - float(rate)))
    near = abs(float(RATES[name]) / float(rate) - 1.0) < _NEAR if rate > 0 else False
    return name if near else None  # type: ignore[return-value]


def timecode_of(frame: int, rate: str, drop: bool = False) -> str:
    """The timecode of a frame, counted from midnight; it begins anew after 24 hours.

    Examples
    --------
    >>> timecode_of(1_800, "29.97", drop=True), timecode_of(86_400, "24")
    ('00:01:00;02', '01:00:00:00')
    """
    nominal, dropped = _counting(rate, drop)
    frame %= frames_a_day(rate, drop)
    if dropped:
        frame += dropped * _minutes_that_drop(frame, nominal, dropped)
    seconds, frames = divmod(frame, nominal)
    minutes, second = divmod(seconds, 60)
    mark = ";" if dropped else ":"
    return f"{minutes // 60:02d}:{minutes % 60:02d}:{second:02d}{mark}{frames:02d}"


def frame_of(timecode: str, rate: str, drop: bool = False) -> int:
    """The frame at a timecode, ``hh:mm:ss:ff``; how its last mark is written does not matter.

    Raises
    ------
    BloomError
        If it is no timecode, or names a frame that this rate does not have.
    """
    told = _TIMECODE.fullmatch(timecode.strip())
    if told is None:
        raise BloomError(f"'{timecode[:40]}' is no timecode: write it as 01:00:14:00.")
    hours, minutes, seconds, frames = (int(part) for part in told.groups())
    nominal, dropped = _counting(rate, drop)
    is_dropped = frames < dropped and seconds == 0 and minutes % 10 != 0
    if hours > 23 or minutes > 59 or seconds > 59 or frames >= nominal or is_dropped:
        raise BloomError(f"There is no frame {timecode.strip()} at {rate} frames a second.")
    minute = 60 * hours + minutes
    return (60 * minute + seconds) * nominal + frames - dropped * (minute - minute // 10)


_TIMECODE = re.compile(r"(\d{1,2}):(\d{1,2}):(\d{1,2})[:;.](\d{1,2})", re.ASCII)


def _counting(rate: str, drop: bool) -> tuple[int, int]:
    """How many numbers a second has, and how many a minute leaves out."""
    nominal = round(RATES[rate])
    return nominal, nominal // 15 if drop and rate in DROPPING else 0


def _minutes_that_drop(frame: int, nominal: int, dropped: int) -> int:
    """Minutes that have left out numbers by a frame of the day: all but every tenth."""
    minute = 60 * nominal - dropped
    tens, rest = divmod(frame, 10 * minute + dropped)
    # the first of ten minutes leaves out none
    return 9 * tens + max(0, rest - dropped) // minute


def frames_a_day(rate: str, drop: bool = False) -> int:
    """Frames that have a timecode of their own."""
    nominal, dropped = _counting(rate, drop)
    minutes = 24 * 60
    return nominal * 60 * minutes - dropped * (minutes - minutes // 10)


def samples_of(frame: int, rate: str, sampling: int) -> int:
    """The first sample of a frame, at ``sampling`` frames of sound a second.

    Examples
    --------
    >>> samples_of(1, "24", 48_000), samples_of(30, "29.97", 48_000)
    (2000, 48048)
    """
    return round(Fraction(frame * sampling) / RATES[rate])


def frame_at(seconds: float, rate: str) -> int:
    """The frame that is nearest to a moment."""
    return round(Fraction(seconds) * RATES[rate])


def seconds_of(frame: int, rate: str) -> float:
    """When a frame begins."""
    return float(Fraction(frame) / RATES[rate])
