"""Clicks taken out and clipped peaks made anew.

A click is a short burst in the excitation of an autoregressive model, seen from both sides: the
model rings after it going forward and before it going backward, so that only where both are
large the sound itself is at fault (S. J. Godsill and P. J. W. Rayner, "Digital Audio
Restoration", Springer 1998, chapter 5). What is found is made anew by :func:`.interpolate`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import binary_closing, binary_dilation

from innerbloom.core.errors import Cancelled
from innerbloom.core.process.interpolate import autoregression, excitation, interpolate

_ORDER_S, _FINE_ORDER_S = 0.001, 0.0025
"""Length of the model that clicks are seen by, and of the one that samples are made anew by."""

_BLOCK_S = 0.04
_MARGIN_S = 0.02
"""Known sound on either side of a block, for the model."""

_GAP_S = 0.0003
_GUARD = 2
"""Bursts closer than the gap are one; samples made anew on either side of what is found."""

_AROUND_S, _ONSET = 0.004, 3.0
"""A burst after which there is so much more sound, or excitation, than ahead of it is a strike."""

_NEAR, _REACHED, _FLAT = 0.98, 0.992, 0.999
_RUN = 3
"""A peak, which is all above the first share of the highest sample, is cut off where it reaches
the second and half of it, three samples at least, lies within the third of its top; of a sine it
is a third at most. A peak that hardly rises above the first share is all top, and not cut off."""

_MOST_OVER = 2.0
_MOST_MISSING = 0.5
"""Share of a block that can be made anew from the rest."""

Progress = Callable[[float], bool]
Mask = NDArray[np.bool_]


def remove_clicks(
    samples: NDArray[np.float32],
    rate: float,
    *,
    threshold: float,
    longest_ms: float,
    progress: Progress | None = None,
) -> NDArray[np.float32]:
    """A sound of shape (frames, channels) without its clicks.

    Parameters
    ----------
    threshold : float
        How far a click stands out: multiples of the usual excitation, 4 to 40.
    longest_ms : float
        Longer bursts are part of the sound, such as strikes.
    """
    longest = max(1, round(longest_ms * rate / 1000.0))

    clicks = partial(find_clicks, rate=rate, threshold=threshold, longest=longest)
    columns = [
        _channel(x, rate, clicks, _part(progress, number, samples.shape[1]))
        for number, x in enumerate(samples.T)
    ]
    return np.stack(columns, axis=1)


def find_clicks(x: NDArray[np.float64], rate: float, *, threshold: float, longest: int) -> Mask:
    """Samples of a stretch of shape (n,) that belong to clicks of up to ``longest`` samples."""
    order = _order(rate)
    if len(x) < 4 * order or not np.any(x):
        return np.zeros(len(x), bool)
    found = _bursts(x, autoregression(x, order), rate, threshold, longest)
    if not found.any() or found.mean() > _MOST_MISSING:
        return found
    # clicks whiten the model they are found by: it is made again from the sound without them
    without = interpolate(x, found, order=order, turns=1)
    return _bursts(x, autoregression(without, order), rate, threshold, longest)


def _rises(x: NDArray[np.float64], before: slice, after: slice) -> bool:
    usual = [float(np.median(np.abs(x[part]))) if len(x[part]) else 0.0 for part in (before, after)]
    return usual[1] > _ONSET * max(usual[0], 1e-7)


def _bursts(
    x: NDArray[np.float64],
    model: NDArray[np.float64],
    rate: float,
    threshold: float,
    longest: int,
) -> Mask:
    order = len(model) - 1
    forward = np.abs(excitation(x, model))
    backward = np.abs(excitation(x[::-1], model))[::-1]
    both = np.minimum(forward, backward)
    # 1.4826 times the median is the deviation of noise, whatever stands out of it
    usual = max(1.4826 * float(np.median(both[order:-order])), 1e-7)
    found = both > threshold * usual
    found[:order] = found[-order:] = False
    gap = max(1, round(_GAP_S * rate))
    found = binary_closing(np.pad(found, gap), np.ones(gap))[gap:-gap]
    around = round(_AROUND_S * rate)
    for first, last in _runs(found):
        before, after = slice(max(0, first - around), first), slice(last, last + around)
        if last - first > longest or _rises(both, before, after) or _rises(x, before, after):
            found[first:last] = False
    return np.asarray(binary_dilation(found, np.ones(2 * _GUARD + 1)))


def repair_clipping(
    samples: NDArray[np.float32], rate: float, progress: Progress | None = None
) -> NDArray[np.float32]:
    """A sound of shape (frames, channels) with the peaks that were cut off made anew.

    They rise above the level at which they were cut, so above full scale where that was it.
    """
    columns = []
    for number, x in enumerate(samples.T):
        clipped = partial(_clipped, high=float(x.max()), low=float(x.min()))
        told = _part(progress, number, samples.shape[1])
        columns.append(_channel(x, rate, clipped, told, outward=True))
    return np.stack(columns, axis=1)


def _clipped(x: NDArray[np.float64], high: float, low: float) -> Mask:
    return _runs_at(x, high) | _runs_at(-x, -low)


def _runs_at(x: NDArray[np.float64], level: float) -> Mask:
    found = np.zeros(len(x), bool)
    if level <= 0.0:
        return found
    for first, last in _runs(x >= _NEAR * level):
        peak = x[first:last]
        flat = peak >= _FLAT * peak.max()
        if peak.max() >= _REACHED * level and flat.sum() >= max(_RUN, 0.5 * len(peak)):
            found[first:last] = flat
    return found


def _part(progress: Progress | None, number: int, count: int) -> Progress:
    return lambda share: progress is None or progress((number + share) / count)


def _channel(
    samples: NDArray[np.float32],
    rate: float,
    find: Callable[[NDArray[np.float64]], Mask],
    told: Progress,
    outward: bool = False,
) -> NDArray[np.float32]:
    """One channel, block by block; what nothing is found in stays bit by bit as it is."""
    made = samples.copy()
    block, margin = round(_BLOCK_S * rate), round(_MARGIN_S * rate)
    order = _order(rate, _FINE_ORDER_S)
    for at in range(0, len(samples), block):
        if not told(at / len(samples)):
            raise Cancelled("Stopped.")
        first, last = max(0, at - margin), min(len(samples), at + block + margin)
        x = made[first:last].astype(np.float64)
        if len(x) < 4 * order:
            break
        missing = find(x)
        missing[:order] = missing[-order:] = False
        if not missing.any() or missing.mean() > _MOST_MISSING:
            continue
        fresh = interpolate(x, missing, order=order)
        if outward:
            # a peak that was cut off was not lower, nor, as far as can be known, twice as high
            peak = np.clip(np.sign(x) * fresh, np.abs(x), _MOST_OVER * np.abs(x))
            fresh = np.where(missing, np.sign(x) * peak, fresh)
        inside = slice(at - first, at - first + min(block, last - at))
        changed = missing[inside]
        made[at : at + block][changed] = fresh[inside][changed]
    return made


def _order(rate: float, length_s: float = _ORDER_S) -> int:
    return max(24, round(length_s * rate))


def _runs(found: Mask) -> Iterator[tuple[int, int]]:
    """First sample of each run, and one past its last."""
    edges = np.flatnonzero(np.diff(np.pad(found.astype(np.int8), 1)))
    return zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True)
