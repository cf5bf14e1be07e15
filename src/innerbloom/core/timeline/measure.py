"""How loud the lanes of a timeline and their whole are, and where it peaks."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from innerbloom.core.errors import Cancelled
from innerbloom.core.sound.levels import LevelMeter
from innerbloom.core.sound.metadata import Loudness
from innerbloom.core.timeline.document import Timeline
from innerbloom.core.timeline.mix import MIX_RATE, TimelineMix
from innerbloom.core.timeline.timecode import frame_at

CHUNK = 1 << 16


class LaneMeasure(BaseModel):
    """A lane as it is mixed; loudness in LUFS and true peak in dBTP, None for silence.

    ``share`` is what it adds to the power of all lanes, 0..1.
    """

    id: str
    loudness: float | None
    peak: float | None
    share: float


class TimelineMeasure(BaseModel):
    """The whole and its lanes, ahead of what it is raised or lowered by.

    Attributes
    ----------
    loudness, peak : float or None
        In LUFS and dBTP; None for silence.
    range_lu : float
    peak_frame : int
        Frame of the picture at which the whole is highest.
    peak_lane : str
        The lane that is highest there.
    """

    loudness: float | None
    peak: float | None
    range_lu: float
    peak_frame: int
    peak_lane: str
    lanes: list[LaneMeasure]


@dataclass(frozen=True)
class Piece:
    """A stretch of all lanes that leave: ``lanes`` of shape (frames, 2) by id, and their sum."""

    first: int
    lanes: dict[str, NDArray[np.float32]]
    whole: NDArray[np.float32]


Report = Callable[[float], bool]
Pieces = Callable[[Report], Iterator[Piece]]
"""Gives all of a mix piece by piece, from beginning to end; raises Cancelled where its ``report`` gives False."""


def piece_of(mix: TimelineMix, first: int) -> Piece:
    """The lanes that are not muted from a sample on, :data:`CHUNK` frames or what is left."""
    leaving = [at for at, lane in enumerate(mix.timeline.lanes) if not lane.muted and lane.clips]
    count = min(CHUNK, mix.frames - first)
    lanes = {mix.timeline.lanes[at].id: mix.read_lane(at, first, count) for at in leaving}
    whole = np.zeros((count, 2), np.float32)
    for sound in lanes.values():
        whole += sound
    return Piece(first, lanes, whole)


def pieces_of(mix: TimelineMix) -> Pieces:
    """A mix read here and now."""

    def read(report: Report) -> Iterator[Piece]:
        for first in range(0, mix.frames, CHUNK):
            if not report(first / mix.frames):
                raise Cancelled("Stopped.")
            yield piece_of(mix, first)

    return read


def measure(
    mix: TimelineMix, report: Report = lambda share: True, pieces: Pieces | None = None
) -> TimelineMeasure:
    """Measure all that leaves; raises Cancelled where ``report`` gives False.

    Parameters
    ----------
    pieces : callable, optional
        Reads the mix; done here if left out.
    """
    whole = LevelMeter(MIX_RATE, 2)
    meters: dict[str, LevelMeter] = {}
    peak, peak_at, peak_lane = 0.0, 0, ""
    for piece in (pieces or pieces_of(mix))(report):
        whole.feed(piece.whole)
        for lane, sound in piece.lanes.items():
            meters.setdefault(lane, LevelMeter(MIX_RATE, 2)).feed(sound)
        at = int(np.abs(piece.whole).max(axis=1, initial=0.0).argmax())
        height = float(np.abs(piece.whole[at]).max())
        if height > peak:
            peak, peak_at = height, piece.first + at
            peak_lane = max(piece.lanes, key=lambda one: float(np.abs(piece.lanes[one][at]).max()))
    power = sum(one.mean_power() for one in meters.values()) or 1.0
    return TimelineMeasure(
        loudness=known(whole.integrated_lufs()), peak=known(whole.true_peak_dbtp),
        range_lu=round(whole.range_lu(), 2), peak_lane=peak_lane,
        peak_frame=_frame_of(mix.timeline, peak_at),
        lanes=[LaneMeasure(id=id_, loudness=known(one.integrated_lufs()),
                           peak=known(one.true_peak_dbtp),
                           share=round(one.mean_power() / power, 4)) for id_, one in meters.items()],
    )  # fmt: skip


def _frame_of(timeline: Timeline, sample: int) -> int:
    return min(timeline.frames - 1, frame_at(sample / MIX_RATE, timeline.rate))


def known(value: float) -> float | None:
    """A level to hundredths; None for that of silence."""
    return round(value, 2) if math.isfinite(value) else None


def told(meter: LevelMeter) -> Loudness:
    """What a meter has found, as a file tells it."""
    return Loudness(
        known(meter.integrated_lufs()), round(meter.range_lu(), 2), known(meter.true_peak_dbtp),
        known(meter.highest_momentary_lufs()), known(meter.highest_short_term_lufs()),
    )  # fmt: skip


def make_up_db(timeline: Timeline, found: TimelineMeasure) -> float:
    """By how much all stems are raised alike, in dB: to the loudness that is asked for."""
    settings = timeline.settings
    if settings.level == "as mixed" or found.loudness is None:  # type: ignore[attr-defined]
        return 0.0
    return float(settings.loudness) - found.loudness  # type: ignore[attr-defined]


def over_db(timeline: Timeline, found: TimelineMeasure) -> float:
    """By how much the whole would pass its ceiling, in dB; 0 where it does not."""
    if found.peak is None:
        return 0.0
    ceiling = float(timeline.settings.ceiling)  # type: ignore[attr-defined]
    return max(0.0, found.peak + make_up_db(timeline, found) - ceiling)
