"""Beginnings of partials, which a long window smears to either side.

Where a sound begins sharply, partials keep the course they had before until it begins, and from
then on the one they have as soon as the window holds nothing of before, carried back.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.analysis.onsets import SENSITIVITY, onset_strength, pick_onsets
from innerbloom.core.materials.spectrum.model import HOP, MOMENTS_S, RATE, Floats, Track

_SHORT_S = 0.010
_SHARP = 0.25
"""Power right after a beginning over the power once it is under way, from which it is sharp."""

_OUT_OF_SILENCE, _SOFTER = 300.0, 0.06
"""A beginning whose power rises by so much counts as sharp from a smaller share on: in the silence
before it, what a window smears would be heard."""

_STRONGER = 1.6
_SETTLED = 0.42
"""Share of the window after which it holds next to nothing of before."""

_STEEPEST = 40.0
"""Fastest decay that is carried back, in 1/s."""


def sharp_beginnings(samples: Floats, window: int) -> NDArray[np.float64]:
    """Moments in seconds at which the sound begins within a few milliseconds.

    Parameters
    ----------
    samples : ndarray, shape (frames,)
        At RATE; beginning with sound counts.
    window : int
        Frames over which a slower beginning is followed well enough.
    """
    frames = [round(one * RATE) for one in _onsets(samples)]
    power = np.concatenate(([0.0], np.cumsum(samples.astype(np.float64) ** 2)))

    def mean_power(start: int, length: int) -> float:
        low, high = (min(max(0, at), len(samples)) for at in (start, start + length))
        return float(power[high] - power[low]) / max(1, high - low)

    short = round(_SHORT_S * RATE)
    kept = []
    for at in [0, *frames]:
        under_way = mean_power(at + window // 4, window // 4)
        before = mean_power(at - short, short) if at else 0.0
        after = mean_power(at, short)
        least = _SOFTER if after > _OUT_OF_SILENCE * before else _SHARP
        if after > least * under_way and after > 2.0 * before and after > 1e-10:
            kept.append(at / RATE)
    return np.array(sorted(set(kept)))


def _onsets(samples: Floats) -> list[float]:
    if len(samples) < RATE // 20:
        return []
    strength = onset_strength(samples[:, None], RATE)
    found = pick_onsets(strength, SENSITIVITY)
    return [exact_beginning(samples, float(at)) for at in found]


def exact_beginning(samples: Floats, about_s: float, reach_s: float = 0.012) -> float:
    """Where the power rises most within a reach, to the millisecond; in seconds."""
    step = RATE // 1000
    middle = round(about_s * RATE)
    low = max(0, middle - round(reach_s * RATE))
    high = min(len(samples), middle + round(reach_s * RATE) + 4 * step)
    count = (high - low) // step
    if count < 8:
        return about_s
    steps = samples[low : low + count * step].reshape(count, step).astype(np.float64)
    power = np.mean(steps**2, axis=1) + 1e-12
    rises = [
        np.log(np.mean(power[i : i + 3]) / np.mean(power[max(0, i - 4) : i]))
        for i in range(2, count - 3)
    ]
    return (low + (2 + int(np.argmax(rises))) * step) / RATE


def sharpened(track: Track, beginnings: NDArray[np.float64], window: int) -> Track:
    """A track with its rises put where the sound begins; may begin later than before."""
    half = window / 2.0 / RATE
    after = round(_SETTLED * window / HOP)
    hz, level, phase = track.hz.copy(), track.level.copy(), track.phase.copy()
    first = track.first
    from_s, to_s = first / MOMENTS_S, (first + len(track)) / MOMENTS_S
    start = 0
    near = beginnings[(beginnings > from_s - half) & (beginnings < to_s)]
    for at in near:
        onset = int(np.ceil(at * MOMENTS_S)) - first
        settled, before = onset + after, onset - after
        # levels rise through the moment after it: what they miss is a strike, and exact
        onset += 1 if at > 0.0 else 0
        if settled >= len(level):
            settled = len(level) - 1
        if settled <= max(onset, 0):
            continue
        earlier = float(level[before]) if before >= 0 else 0.0
        if level[settled] < _STRONGER * earlier:
            continue
        _carry_back(hz, level, phase, max(onset, 0), settled)
        if before < 0 and onset > 0:
            start = onset
        elif onset > 0:
            level[before:onset] = earlier
    if start >= len(level) - 1:
        start = 0
    kept = slice(start, None)
    return replace(track, first=first + start, hz=hz[kept], level=level[kept], phase=phase[kept])


def _carry_back(hz: Floats, level: Floats, phase: Floats, onset: int, settled: int) -> None:
    """Fill the moments from the beginning on with the course from the settled one on."""
    far = min(settled + max(4, settled - onset), len(level) - 1)
    fall = 0.0
    if far > settled:
        ratio = max(float(level[settled]), 1e-9) / max(float(level[far]), 1e-9)
        fall = np.clip(np.log(ratio) * MOMENTS_S / (far - settled), 0.0, _STEEPEST)
    back = np.arange(settled - onset, 0, -1) / MOMENTS_S
    level[onset:settled] = level[settled] * np.minimum(np.exp(fall * back), 4.0)
    hz[onset:settled] = hz[settled]
    phase[onset:settled] = phase[settled] - 2.0 * np.pi * hz[settled] * back


def closed_off(track: Track, frames: int, window: int) -> Track:
    """A track whose end lies at the end of the sound keeps its course to there."""
    after = round(_SETTLED * window / HOP)
    last = frames // HOP - track.first
    if len(track) - 1 < last or len(track) <= 2 * after:
        return track
    hz, level, phase = track.hz.copy(), track.level.copy(), track.phase.copy()
    _carry_back(hz[::-1], level[::-1], phase[::-1], 0, after)
    on = np.arange(1, after + 1) / MOMENTS_S
    at = len(phase) - 1 - after
    phase[at + 1 :] = phase[at] + 2.0 * np.pi * hz[at] * on
    return replace(track, hz=hz, level=level, phase=phase)
