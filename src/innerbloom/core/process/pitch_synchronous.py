"""Shifting the pitch of one voice period by period, so that its formants stay.

Two periods at a time are cut out around pitch marks and put together closer or further apart:
time-domain pitch-synchronous overlap-add (E. Moulines and F. Charpentier, "Pitch-synchronous
waveform processing techniques for text-to-speech synthesis using diphones", Speech Communication
9(5), 1990). Marks are set on the sound warped to one pitch, each where the wave is most like the
one a period before. What has no pitch is left as it is.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.analysis.mono import one_channel
from innerbloom.core.compiling import kernel
from innerbloom.core.process.varispeed import read_at
from innerbloom.core.process.warp import Warp

_SURE = 0.5
_LOOKED = 0.12
"""Share of a period by which the next mark may lie earlier or later."""

_ALIKE = 0.8
"""Correlation of two periods from which a mark is set where no pitch was found."""

_LEAST_MARKS = 4
_BLENDED = 1.3
"""Periods to either side that are blended, in those of the new pitch: what changes from one to the next is
heard as roughness once it goes on for longer."""


@dataclass(frozen=True)
class Marks:
    """Pitch marks of a stretch with a pitch: moments in frames, and the period at each."""

    at: NDArray[np.float64]
    periods: NDArray[np.float64]


def shift_periods(
    samples: NDArray[np.float32],
    base: NDArray[np.float32],
    warp: Warp,
    rate: float,
    *,
    ratio: float,
    formants: float = 1.0,
) -> NDArray[np.float32]:
    """Move the pitch of samples of shape (frames, channels) by a ratio.

    Parameters
    ----------
    base : ndarray, same shape
        What is heard where there is no pitch.
    warp : Warp
        Of the samples.
    formants : float
        How much faster each period is read: moves the formants by themselves.
    """
    out = base.copy()
    for marks in pitch_marks(samples, warp, rate):
        made, share, first = _put_together(samples, marks, ratio, formants)
        inside = slice(first, first + len(made))
        share = share[: len(out[inside])]
        out[inside] += share * (made[: len(share)] - out[inside])
    return out


def pitch_marks(samples: NDArray[np.float32], warp: Warp, rate: float) -> Iterator[Marks]:
    """Marks of every stretch that has a pitch."""
    flat = np.ascontiguousarray(one_channel(warp.apply(samples)), np.float32)
    period = rate / warp.hz
    stretches = list(_voiced(warp, len(flat)))
    ends = [0, *(last for _, last in stretches)]
    starts = [*(first for first, _ in stretches[1:]), len(flat)]
    for (first, last), before, after in zip(stretches, ends, starts, strict=False):
        lowest, highest = 0.5 * (before + first), 0.5 * (last + after)
        marks = np.zeros(int((highest - lowest) / (0.8 * period)) + 8)
        loudest = first + int(np.abs(flat[first:last]).argmax())
        bounds = (lowest, float(first), float(last), highest)
        count = _follow(flat, float(loudest), period, bounds, marks)
        if count < _LEAST_MARKS:
            continue
        found = np.sort(marks[:count])
        at = np.interp(found, warp.warped, warp.frames)
        yield Marks(at, np.append(np.diff(at), at[-1] - at[-2]))


def _voiced(warp: Warp, frames: int) -> Iterator[tuple[int, int]]:
    """First and last frame of each stretch of the warped sound with a pitch."""
    sure = np.pad((warp.voiced >= _SURE).astype(np.int8), 1)
    edges = np.flatnonzero(np.diff(sure))
    for a, b in zip(edges[::2], edges[1::2], strict=True):
        first, last = int(warp.warped[a]), int(warp.warped[min(b, len(warp.warped) - 1)])
        if min(last, frames) > first:
            yield first, min(last, frames)


@kernel
def _likeness(x, one, other, reach):  # type: ignore[no-untyped-def]
    """Normalised correlation of what lies around two frames."""
    product = own = others = 1e-12
    for i in range(-reach, reach + 1):
        a = x[min(max(one + i, 0), len(x) - 1)]
        b = x[min(max(other + i, 0), len(x) - 1)]
        product += a * b
        own += a * a
        others += b * b
    return product / np.sqrt(own * others)


@kernel
def _next_mark(x, mark, step, looked):  # type: ignore[no-untyped-def]
    """The mark about a step away that is most like this one, between frames by a parabola."""
    reach = int(0.75 * abs(step))
    here = int(np.floor(mark + 0.5))
    wanted = here + int(np.floor(step + 0.5))
    best, found = -2.0, wanted
    for lag in range(-looked, looked + 1):
        likeness = _likeness(x, here, wanted + lag, reach)
        if likeness > best:
            best, found = likeness, wanted + lag
    low, high = _likeness(x, here, found - 1, reach), _likeness(x, here, found + 1, reach)
    bend = low - 2.0 * best + high
    share = 0.5 * (low - high) / bend if bend < 0.0 else 0.0
    return mark - here + found + min(max(share, -0.5), 0.5), best


@kernel
def _follow(x, start, period, bounds, marks):  # type: ignore[no-untyped-def]
    """Marks from one on, both ways, and past the bounds as long as periods are alike.

    ``bounds`` are the first frame that may have a mark, the first and last that have a pitch, and
    the last that may have one. Returns how many marks were set.
    """
    lowest, first, last, highest = bounds
    looked = max(1, int(_LOOKED * period))
    marks[0] = start
    count = 1
    for direction in (1.0, -1.0):
        mark = start
        while count < len(marks):
            mark, likeness = _next_mark(x, mark, direction * period, looked)
            if mark < lowest or mark >= highest:
                break
            if likeness < _ALIKE and (mark < first or mark >= last):
                break
            marks[count] = mark
            count += 1
    return count


def _put_together(
    samples: NDArray[np.float32], marks: Marks, ratio: float, formants: float
) -> tuple[NDArray[np.float32], NDArray[np.float32], int]:
    """The stretch at its new pitch, how far it stands in for the sound, and its first frame."""
    moments = _new_marks(marks, ratio)
    reach = np.maximum(np.interp(moments, marks.at, marks.periods) / formants, 8.0)
    first = max(0, int(moments[0] - reach[0]))
    length = int(moments[-1] + reach[-1]) + 2 - first
    out = np.zeros((length, samples.shape[1]), np.float32)
    # each period keeps its power, however many there are
    level = 1.0 / np.sqrt(ratio * formants)
    # where periods are left out their neighbours are mixed, where they are doubled they blend
    spread = max(1.0, _BLENDED / ratio)
    numbers = np.interp(moments, marks.at, np.arange(len(marks.at)))
    for moment, number, wide in zip(moments, numbers, reach, strict=True):
        low = max(0, int(np.ceil(moment - wide)) - first)
        frames = np.arange(low, min(length, int(moment + wide) + 1 - first))
        away = frames + first - moment
        window = 0.5 + 0.5 * np.cos(np.pi * np.clip(away / wide, -1.0, 1.0))
        window *= level
        for mark, part in _mixed(marks, number, spread):
            piece = read_at(samples, mark + away * formants, fastest=max(1.0, formants))
            out[frames] += (part * window[:, None] * piece).astype(np.float32)
    fade = max(1, int(reach.mean()))
    share = np.ones(length, np.float32)
    ramp = np.linspace(0.0, 1.0, min(fade, length), dtype=np.float32)
    share[: len(ramp)] *= ramp
    share[-len(ramp) :] *= ramp[::-1]
    return out, share[:, None], first


def _mixed(marks: Marks, number: float, spread: float) -> list[tuple[float, float]]:
    """Marks around a place between them, with shares that add up to 1."""
    near = np.arange(max(0, int(np.ceil(number - spread))), int(number + spread) + 1)
    near = near[near < len(marks.at)]
    shares = np.maximum(1.0 - np.abs(near - number) / spread, 0.0)
    shares /= shares.sum()
    return [(at, share) for at, share in zip(marks.at[near], shares, strict=True) if share > 0.01]


def _new_marks(marks: Marks, ratio: float) -> NDArray[np.float64]:
    """Moments of the stretch, each the period there over the ratio after the last."""
    found = [float(marks.at[0])]
    while True:
        step = float(np.interp(found[-1], marks.at, marks.periods)) / ratio
        if found[-1] + step > marks.at[-1]:
            return np.array(found)
        found.append(found[-1] + step)
