"""Moments worth keeping in a long sound, each with one plain reason, the most promising first.

Borders come from novelty (:mod:`.novelty`) and from strong onsets; what lies between them, or rises
across them, is asked by several measures whether it is worth keeping:

strike
    A sharp rise of level out of quiet, and its decay until it has faded or something else begins.
swell
    A long, steady rise of level or brightness (rank correlation with time).
loop
    A stretch whose end runs into its start (:func:`.find_loops`).
rare
    A stretch whose timbre lies far from all others: the distance to its nearest neighbours, against
    what is usual (S. Ramaswamy, R. Rastogi and K. Shim, "Efficient algorithms for mining outliers
    from large data sets", SIGMOD 2000).
still
    The stretch whose spectrum moves least, while it sounds.

How the measures weigh against each other is ours.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np
import scipy
from numpy.typing import NDArray
from scipy.fft import dct
from scipy.ndimage import gaussian_filter1d, uniform_filter1d

from innerbloom.core.analysis.novelty import borders, novelty
from innerbloom.core.analysis.onsets import pick_onsets
from innerbloom.core.analysis.take_features import LOOK_S, TakeFeatures, movement

Reason = Literal["marked", "strike", "opens", "grows", "loop", "rare", "still"]

MOST = 40
_QUIET_DB = -60.0
_COEFFICIENTS = 12
_TIMBRE_SCALE, _LEVEL_SCALE = 60.0, 18.0
"""Distances in cepstral coefficients and in dB that are far apart."""

_STRIKE_RISE_DB, _STRIKE_FALL_DB = 12.0, 14.0
_RISE_DB, _OPENS_S = 9.0, 12.0
_NEIGHBOURS, _RARE = 3, 1.5
_ELSEWHERE_S, _MOST_PLACES = 10.0, 1_500
_SAME = 0.45
"""Share of the shorter of two stretches from which they are one."""

_AGAIN = 0.45
"""By how much less another moment of a reason is worth than the one before."""


@dataclass(frozen=True)
class Wanted:
    """What is looked for.

    Attributes
    ----------
    sensitivity : float
        0 finds what stands out most, 1 nearly everything.
    shortest_s, longest_s : float
        Of a moment, in seconds.
    """

    sensitivity: float = 0.5
    shortest_s: float = 0.5
    longest_s: float = 30.0


@dataclass(frozen=True)
class Moment:
    """A stretch of a sound, why it is worth keeping, and how much, 0..1."""

    start: float
    end: float
    reason: Reason
    worth: float

    @property
    def seconds(self) -> float:
        return self.end - self.start


def find_moments(
    features: TakeFeatures, wanted: Wanted = Wanted(), marks: Sequence[float] = ()
) -> list[Moment]:
    """The moments of a sound, the most promising first, those about a mark ahead of all.

    Parameters
    ----------
    marks : sequence of float
        Moments in seconds at which the player said that it was good.
    """
    if len(features.bands) < 4:
        return []
    looked = _Looked(features, wanted)
    found = [one for measure in _MEASURES for one in measure(looked)]
    least = 0.75 - 0.65 * wanted.sensitivity
    fitting = [one for one in (looked.fitted(one) for one in found) if one is not None]
    marked = [one for at in marks if (one := _around(looked, at)) is not None]
    return _ranked(marked, [one for one in fitting if one.worth >= least])


def _ranked(marked: list[Moment], found: list[Moment]) -> list[Moment]:
    """The best of what is left, over and over: overlaps are out, and reasons take turns."""
    kept: list[Moment] = []
    for one in marked:
        if not any(_overlaps(one, other) for other in kept):
            kept.append(one)
    told: dict[str, int] = {}
    rest = list(found)
    while rest and len(kept) < MOST:
        best = max(rest, key=lambda one: one.worth - _AGAIN * told.get(one.reason, 0))
        kept.append(best)
        told[best.reason] = told.get(best.reason, 0) + 1
        rest = [one for one in rest if not _overlaps(one, best)]
    return [one for i, one in enumerate(kept) if not any(_overlaps(one, k) for k in kept[:i])]


def _overlaps(one: Moment, other: Moment) -> bool:
    common = min(one.end, other.end) - max(one.start, other.start)
    return common > _SAME * min(one.seconds, other.seconds)


class _Looked:
    """A sound and what the measures share of it."""

    def __init__(self, features: TakeFeatures, wanted: Wanted) -> None:
        self.features, self.wanted = features, wanted
        self.level = features.level_db.astype(np.float64)
        self.bands = np.maximum(features.bands, self.level.max() - 70.0 - 20.0)
        coefficients = dct(self.bands, axis=1, norm="ortho")[:, 1 : _COEFFICIENTS + 1]
        self.timbre = coefficients / _TIMBRE_SCALE
        quiet = np.maximum(self.level, self.level.max() - 60.0)
        smooth = uniform_filter1d(np.column_stack((self.timbre, quiet / _LEVEL_SCALE)), 5, axis=0)
        self.floor = max(_QUIET_DB, self.level.max() - 50.0)
        self.curve = novelty(smooth[::4], 12)
        height = 0.03 + 0.12 * (1.0 - wanted.sensitivity)
        self.borders = [4 * LOOK_S * int(i) for i in borders(self.curve, height, 4)]

    def at(self, seconds: float) -> int:
        return int(np.clip(round(seconds / LOOK_S), 0, len(self.level)))

    def sounds(self, start: float, end: float) -> bool:
        heard = self.level[self.at(start) : self.at(end)]
        return bool(len(heard) and heard.max() > self.floor)

    def stretches(self) -> Iterator[tuple[float, float]]:
        """What lies between borders, cut where it is longer than wanted."""
        ends = [0.0, *self.borders, self.features.seconds]
        for start, end in pairwise(ends):
            parts = max(1, int(np.ceil((end - start) / self.wanted.longest_s)))
            edges = np.linspace(start, end, parts + 1)
            yield from pairwise(edges.tolist())

    def fitted(self, one: Moment) -> Moment | None:
        """A moment within the lengths that are wanted and inside the sound; None if it cannot be."""
        start, end = max(0.0, one.start), min(one.end, self.features.seconds)
        end = min(end, start + self.wanted.longest_s)
        if end - start < self.wanted.shortest_s or not self.sounds(start, end):
            return None
        return Moment(round(start, 3), round(end, 3), one.reason, one.worth)


# -- the measures ----------------------------------------------------------------


def _strikes(looked: _Looked) -> Iterator[Moment]:
    strength = looked.features.onsets
    level, hop = strength.level_db.astype(np.float64), strength.hop_s
    onsets = pick_onsets(strength, 0.25 + 0.5 * looked.wanted.sensitivity, 0.12)
    for number, onset in enumerate(onsets.tolist()):
        at = round(onset / hop)
        before = level[max(0, at - round(0.35 / hop)) : max(1, at - 2)]
        peak_at = at + int(np.argmax(level[at : at + round(0.12 / hop)]))
        peak = float(level[peak_at])
        rise = peak - float(np.median(before)) if len(before) else 60.0
        following = onsets[number + 1] if number + 1 < len(onsets) else looked.features.seconds
        end, fall = _faded(level, peak_at, hop, float(following))
        soon = peak - float(level[min(len(level) - 1, peak_at + round(1.5 / hop))])
        if rise >= _STRIKE_RISE_DB and fall >= _STRIKE_FALL_DB and peak > looked.floor:
            worth = 0.45 * min(1.0, rise / 40.0) + 0.55 * min(1.0, fall / 40.0)
            yield Moment(onset - 0.01, end, "strike", worth * float(np.clip(soon / 12.0, 0, 1)))


def _faded(
    level: NDArray[np.float64], peak_at: int, hop: float, following: float
) -> tuple[float, float]:
    """Where a strike has faded by 50 dB or something else begins, and by how much it fell."""
    until = min(len(level), round(following / hop) - 2, peak_at + round(20.0 / hop))
    tail = gaussian_filter1d(level[peak_at : max(peak_at + 2, until)], 0.05 / hop, mode="nearest")
    peak = float(level[peak_at])
    low = np.flatnonzero(tail < peak - 50.0)
    # it ends as well where it does not fall any more
    ends = int(low[0]) if len(low) else int(np.argmin(tail))
    return (peak_at + ends + 1) * hop, peak - float(tail[ends])


def _swells(looked: _Looked) -> Iterator[Moment]:
    size = max(3, round(1.0 / LOOK_S))
    level = np.maximum(gaussian_filter1d(looked.level, size / 2, mode="nearest"), looked.floor - 12)
    turns = _turns(level, 3.0)
    for low, high in pairwise(turns):
        rise, seconds = float(level[high] - level[low]), (high - low) * LOOK_S
        if rise < _RISE_DB or seconds < 2.0:
            continue
        steady = float(scipy.stats.spearmanr(np.arange(high - low), level[low:high]).statistic)
        after = (high + round(min(1.5, 0.25 * seconds) / LOOK_S)) * LOOK_S
        worth = min(1.0, rise / 30.0) * max(0.0, steady) * min(1.0, seconds / 4.0)
        yield Moment(low * LOOK_S, after, "opens" if seconds < _OPENS_S else "grows", worth)


def _turns(level: NDArray[np.float64], least_db: float) -> list[int]:
    """Where a curve turns, small movements left out: the first, then lows and highs by turns."""
    turns, direction, extreme = [0], 0, 0
    for i in range(1, len(level)):
        if direction >= 0 and level[i] > level[extreme]:
            extreme, direction = i, 1 if level[i] - level[turns[-1]] > least_db else direction
        elif direction <= 0 and level[i] < level[extreme]:
            extreme, direction = i, -1 if level[turns[-1]] - level[i] > least_db else direction
        elif abs(level[i] - level[extreme]) > least_db:
            turns.append(extreme)
            direction, extreme = (1 if level[i] > level[extreme] else -1), i
    return [*turns, extreme]


def _loops(looked: _Looked) -> Iterator[Moment]:
    for start, end, closes in looked.features.loops.tolist():
        long_enough = min(1.0, 0.7 + (end - start) / 10.0)
        worth = float(np.clip((closes - 0.35) / 0.5, 0.0, 1.0))
        yield Moment(start, end, "loop", long_enough * worth)


def _rare(looked: _Looked) -> Iterator[Moment]:
    """Stretches whose timbre lies far from that of any moment elsewhere."""
    by = max(round(1.0 / LOOK_S), len(looked.level) // _MOST_PLACES)
    if len(looked.level) < 8 * by:
        return
    far = _distances_elsewhere(looked, by)
    heard = far[np.isfinite(far)]
    if len(heard) < 8:
        return
    usual = float(np.median(heard))
    for start, end in looked.stretches():
        part = far[looked.at(start) // by : max(looked.at(end) // by, looked.at(start) // by + 1)]
        part = part[np.isfinite(part)]
        if len(part):
            away = float(np.median(part)) - usual
            yield Moment(start, end, "rare", float(np.clip(away / _RARE, 0.0, 0.97)))


def _distances_elsewhere(looked: _Looked, by: int) -> NDArray[np.float64]:
    """How far the timbre of every ``by`` looks lies from its nearest elsewhere; NaN in silence."""
    count = len(looked.level) // by
    loud = np.where(looked.level > looked.floor, 1.0, 0.0)[: count * by]
    weights = loud.reshape(count, by)
    timbre = looked.timbre[: count * by].reshape(count, by, -1)
    total = weights.sum(axis=1)
    places = np.einsum("cl,clf->cf", weights, timbre) / np.maximum(total, 1e-9)[:, None]
    away = np.sqrt(np.maximum(0.0, _squares(places)))
    near = round(_ELSEWHERE_S / (by * LOOK_S))
    at = np.arange(count)
    away[(np.abs(at[:, None] - at) <= near) | (total[None, :] < 1)] = np.inf
    nearest = np.sort(away, axis=1)[:, :_NEIGHBOURS].mean(axis=1)
    return np.asarray(np.where((total >= 0.3 * by) & np.isfinite(nearest), nearest, np.nan))


def _squares(places: NDArray[np.float64]) -> NDArray[np.float64]:
    """Squared distances between all rows."""
    own = np.einsum("ij,ij->i", places, places)
    return np.asarray(own[:, None] + own - 2.0 * places @ places.T)


def _still(looked: _Looked) -> Iterator[Moment]:
    seconds = float(np.clip(0.4 * looked.wanted.longest_s, looked.wanted.shortest_s, 8.0))
    size = round(seconds / LOOK_S)
    if size < 4 or len(looked.level) < size:
        return
    moves = movement(looked.features.bands, seconds)
    loud = uniform_filter1d(looked.level, size, mode="nearest") > looked.floor
    usual = float(np.median(moves[loud])) if loud.any() else 1.0
    moves = np.where(loud, moves, np.inf)
    for _ in range(4):
        middle = int(np.argmin(moves))
        if not np.isfinite(moves[middle]):
            return
        worth = float(np.clip(0.8 - moves[middle] / (usual + 1.0), 0.0, 0.7))
        start = max(0.0, middle * LOOK_S - seconds / 2)
        moves[max(0, middle - 2 * size) : middle + 2 * size] = np.inf
        yield Moment(start, start + seconds, "still", worth)


_MEASURES: tuple[Callable[[_Looked], Iterator[Moment]], ...] = (
    _strikes, _swells, _loops, _rare, _still,
)  # fmt: skip


def _around(looked: _Looked, mark: float) -> Moment | None:
    """What a mark is about: it comes after what was good, so most lies before it."""
    longest = looked.wanted.longest_s
    before = [at for at in looked.borders if mark - longest <= at <= mark - 1.0]
    after = [at for at in looked.borders if at >= mark]
    heard = [at for at in before if looked.sounds(at, mark)]
    start = heard[-1] if heard else max(0.0, mark - min(8.0, longest))
    end = min(after[0] if after else mark + 1.0, mark + 3.0)
    return looked.fitted(Moment(start, end, "marked", 1.0))
