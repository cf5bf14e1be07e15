"""A moment cut out of a take: as it was heard, faded at its edges, brought to a level."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.deliver.replay import limited
from innerbloom.core.engine import ENGINE_RATE
from innerbloom.core.errors import BloomError
from innerbloom.core.performance.take_document import Decision
from innerbloom.core.sound.fades import faded
from innerbloom.core.sound.files import read_blocks
from innerbloom.core.sound.levels import LevelMeter, loudness
from innerbloom.core.units import db_to_gain

_BEFORE_S = 0.5
"""So much of what comes before is heard by the limiter, which then does as it did."""

_CEILING_DB = -1.0
_MOST_GAIN_DB = 40.0


def cut_moment(
    path: Path, moment: Decision, ceiling_db: float = _CEILING_DB
) -> NDArray[np.float32]:
    """The frames of a moment, shape (frames, 2) at 48 kHz, faded in and out.

    Parameters
    ----------
    path : Path
        The take's sound, ahead of the limiter.
    ceiling_db : float
        Highest true peak, in dBTP: that of the instrument.

    Raises
    ------
    BloomError
        If it lies outside the take.
    """
    start, end = round(moment.start * ENGINE_RATE), round(moment.end * ENGINE_RATE)
    before = min(start, round(_BEFORE_S * ENGINE_RATE))
    blocks = read_blocks(path, start=start - before, frames=end - start + before)
    heard = [np.zeros((0, 2), np.float32), *limited(iter(blocks), ceiling_db)]
    sound = np.concatenate(heard)[before:]
    if len(sound) < 2:
        raise BloomError("This moment lies outside the take: move it inside.")
    into, out_of = (round(1e-3 * ms * ENGINE_RATE) for ms in (moment.fade_in, moment.fade_out))
    return faded(sound, into, out_of, "equal power", "equal power")


def levelled(
    sound: NDArray[np.float32], level: str, peak_dbtp: float, loudness_lufs: float
) -> tuple[NDArray[np.float32], float]:
    """A sound brought to a true peak or a loudness, and the gain in dB that it took.

    Parameters
    ----------
    level : {"as played", "peak", "loudness"}
    peak_dbtp, loudness_lufs : float
        What it is brought to; a loudness only as far as the true peak stays below -1 dBTP.
    """
    peak = _true_peak_db(sound)
    if level == "as played" or not np.isfinite(peak):
        return sound, 0.0
    gain = peak_dbtp - peak
    if level == "loudness":
        heard = loudness(sound, ENGINE_RATE)
        room = _CEILING_DB - peak
        gain = min(loudness_lufs - heard, room) if np.isfinite(heard) else room
    gain = min(gain, _MOST_GAIN_DB)
    return (sound * np.float32(db_to_gain(gain))).astype(np.float32), float(gain)


def _true_peak_db(sound: NDArray[np.float32]) -> float:
    meter = LevelMeter(ENGINE_RATE, sound.shape[1])
    meter.feed(sound)
    return float(meter.true_peak_dbtp)
