"""Loops of a file, best first."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from innerbloom.core.analysis.loops import LoopCandidate, find_loops
from innerbloom.core.errors import BloomError
from innerbloom.core.prepare.source import FileSource
from innerbloom.core.sound.loop import Curve

MOST_S = 180
"""Seconds of a sound that are searched."""


@dataclass(frozen=True)
class FoundLoop:
    """A loop of a file.

    Attributes
    ----------
    start_s, end_s : float
    rank : float
        What they are ordered by: ``worth``, less 1 where the seam is heard.
    worth : float
        ``closes``, with what longer loops are worth more and those heard to repeat less.
    closes : float
        How well the end runs into the start, 0..1.
    seam : float
        How far the seam stands out, in the sound's own movement; from 1 on it is heard.
    likeness : float
        Correlation of the two sides of the seam, -1..1.
    crossfade_ms : float
    curve : {"equal power", "linear"}
    """

    start_s: float
    end_s: float
    rank: float
    worth: float
    closes: float
    seam: float
    likeness: float
    crossfade_ms: float
    curve: Curve

    def plain(self) -> dict[str, Any]:
        return asdict(self)


def loops_of(
    path: Path, start_s: float = 0.0, end_s: float | None = None, least_s: float = 0.25
) -> list[FoundLoop]:
    """Loops of a file, best first; up to three minutes of it are searched.

    Parameters
    ----------
    end_s : float or None
        None is the end.
    least_s : float
        Shortest loop.

    Raises
    ------
    BloomError
        If the region lies outside, is too short or silent, or the file cannot be read.
    """
    source = FileSource(path)
    first = round(start_s * source.rate)
    last = source.frames if end_s is None else min(round(end_s * source.rate), source.frames)
    last = min(last, first + MOST_S * source.rate)
    if last <= first:
        raise BloomError("The region lies outside the sound: move it inside.")
    found, _ = find_loops(source.read(first, last - first), source.rate, least_s=least_s)
    return [_in_seconds(one, first, source.rate) for one in found]


def _in_seconds(one: LoopCandidate, first: int, rate: int) -> FoundLoop:
    return FoundLoop(
        round((first + one.start) / rate, 6), round((first + one.end) / rate, 6),
        round(one.rank, 4), round(one.worth, 4), one.closes, round(one.seam, 3), one.likeness,
        round(1e3 * one.crossfade / rate, 1), one.curve,
    )  # fmt: skip
