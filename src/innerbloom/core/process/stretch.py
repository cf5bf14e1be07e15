"""Time-stretching: a sound's length changes, its pitch does not.

The steady part goes through a phase vocoder with identity phase locking (J. Laroche and
M. Dolson, "Improved phase vocoder time-scale modification of audio", IEEE Trans. Speech and
Audio Processing 7(3), 1999). The rest goes through one with short windows; there, beginnings
of sounds keep their own pace (as in A. Röbel, "A new approach to transient processing in the
phase vocoder", DAFx-03) and what is noise is made anew from its smoothed spectrum as the
stretch grows (after E.-P. Damskägg and V. Välimäki, "Audio time stretching using fuzzy
classification of spectral bins", Applied Sciences 7(12), 2017). Splitting in this way:
J. Driedger, M. Müller and S. Ewert, IEEE Signal Processing Letters 21(1), 2014.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from innerbloom.core.analysis.onsets import onset_strength, pick_onsets
from innerbloom.core.compiling import kernel
from innerbloom.core.process.separate import steady_part, window_for
from innerbloom.core.process.stft import OVERLAP, OverlapAdd, spectra_at
from innerbloom.core.process.varispeed import read_at
from innerbloom.core.process.warp import Warp, pitch_warp

Progress = Callable[[float], bool]

_LONG_S, _SHORT_S = 0.085, 0.021
_AHEAD_S, _AFTER_S = 0.003, 0.03
"""A beginning keeps its own pace from just ahead of it until its attack is over."""

_MOST_KEPT = 0.35
"""Share of the sound that may keep its own pace for its beginnings' sake."""

_SENSITIVITY = 0.35
_AT_ONCE = 128
_WARP_STEP_S = 0.005
_SMOOTH_BINS = 9
_RANDOM_GAIN = 2.0
"""Windowed once instead of twice and added in power instead of amplitude, new noise would come
out at a quarter of its power: mean(w**2) / sum(w**2) for Hann windows at a quarter."""


@dataclass(frozen=True)
class TimeMap:
    """Where in the sound each moment of the result is read; both in frames, rising."""

    out: NDArray[np.float64]
    source: NDArray[np.float64]

    @property
    def frames(self) -> int:
        """Length of the result."""
        return round(float(self.out[-1]))

    def at(self, moments: NDArray[Any]) -> NDArray[np.float64]:
        """Places in the source for moments of the result; past the end at its own pace."""
        past = np.maximum(moments - self.out[-1], 0.0)
        return np.asarray(np.interp(moments, self.out, self.source) + past)


def even_map(frames: int, ratio: float, onsets: NDArray[np.float64], rate: float) -> TimeMap:
    """A map that stretches evenly but for the beginnings, which keep their own pace.

    Parameters
    ----------
    frames : int
        Length of the source.
    ratio : float
        Length of the result over that of the source.
    onsets : ndarray
        Moments in seconds, the strongest first; as many are kept as there is room for.
    """
    total = frames * ratio
    zones = _zones(onsets * rate, frames, _MOST_KEPT * min(frames, total), rate)
    kept = sum(b - a for a, b in zones)
    pace = (total - kept) / max(1.0, frames - kept)
    out, source = [0.0], [0.0]
    for a, b in zones:
        for place, step in ((a, pace), (b, 1.0)):
            if place > source[-1]:
                out.append(out[-1] + (place - source[-1]) * step)
                source.append(place)
    out.append(total)
    source.append(float(frames))
    return TimeMap(np.array(out), np.array(source))


def _zones(
    onsets: NDArray[np.float64], frames: int, room: float, rate: float
) -> list[tuple[float, float]]:
    """Stretches about beginnings, in order, none overlapping."""
    zones: list[tuple[float, float]] = []
    for onset in onsets.tolist():
        a = max(0.0, onset - _AHEAD_S * rate)
        b = min(float(frames), onset + _AFTER_S * rate)
        if b - a > room:
            break
        if all(b <= low or a >= high for low, high in zones):
            zones.append((a, b))
            room -= b - a
    return sorted(zones)


def beginnings(samples: NDArray[np.float32], rate: float) -> NDArray[np.float64]:
    """Moments in seconds at which sounds begin, the strongest first."""
    strength = onset_strength(samples, round(rate))
    found = pick_onsets(strength, _SENSITIVITY)
    looks = np.minimum((found / strength.hop_s).astype(int) + 2, len(strength.values) - 1)
    return found[np.argsort(-strength.values[looks])] if len(found) else found


def stretch(
    samples: NDArray[np.float32],
    rate: float,
    ratio: float,
    *,
    sharp: bool = True,
    progress: Progress | None = None,
) -> NDArray[np.float32]:
    """Make a sound ``ratio`` times as long, shape (round(frames * ratio), channels).

    Parameters
    ----------
    samples : ndarray, shape (frames, channels)
    ratio : float
        Above 0.
    sharp : bool
        Whether beginnings keep their own pace, and with it their attack.
    """
    onsets = beginnings(samples, rate) if sharp and ratio != 1.0 else np.zeros(0)
    return follow_map(samples, rate, even_map(len(samples), ratio, onsets, rate), progress)


def follow_map(
    samples: NDArray[np.float32],
    rate: float,
    time_map: TimeMap,
    progress: Progress | None = None,
) -> NDArray[np.float32]:
    """The sound read along a time map, its pitch unchanged.

    A sound with a pitch is warped first so that its pitch stands still, see :mod:`.warp`.
    """
    told = progress or (lambda share: True)
    warp = None if _is_identity(time_map) else pitch_warp(samples, rate)
    if warp is None:
        return _split_and_vocoded(samples, rate, time_map, told)
    step = _WARP_STEP_S * rate
    moments = np.unique(np.concatenate((time_map.out, np.arange(0.0, time_map.out[-1], step))))
    places = time_map.at(moments)
    pace = warp.pace_at(places)
    warped = np.concatenate(([0.0], np.cumsum(np.diff(moments) * 0.5 * (pace[1:] + pace[:-1]))))
    flat = TimeMap(warped, warp.to_warped(places))
    out = _split_and_vocoded(warp.apply(samples), rate, flat, told, warp)
    frames = np.arange(time_map.frames, dtype=np.float64)
    return read_at(out, np.interp(frames, moments, warped), fastest=1.0)


def _is_identity(time_map: TimeMap) -> bool:
    return bool(np.allclose(time_map.out, time_map.source))


def _split_and_vocoded(
    samples: NDArray[np.float32],
    rate: float,
    time_map: TimeMap,
    told: Progress,
    warp: Warp | None = None,
) -> NDArray[np.float32]:
    steady = steady_part(samples, rate, warp)
    told(0.25)
    slowness = _slowness(time_map)
    out = _vocoded(steady, rate, time_map, _LONG_S, 0.0 * slowness, lambda s: told(0.25 + 0.5 * s))
    rest = samples - steady
    out += _vocoded(rest, rate, time_map, _SHORT_S, slowness, lambda s: told(0.75 + 0.25 * s))
    return out


def _slowness(time_map: TimeMap) -> NDArray[np.float64]:
    """How much of the noise is made anew in each part of a map: 0 at its own pace, 1 an octave
    of pace away, where frames that overlap no longer fit each other."""
    run = np.maximum(np.diff(time_map.source), 1e-9)
    pace = np.maximum(np.diff(time_map.out), 1e-9) / run
    return np.asarray(np.clip(np.abs(np.log2(pace)), 0.0, 1.0))


def _vocoded(
    samples: NDArray[np.float32],
    rate: float,
    time_map: TimeMap,
    window_s: float,
    slowness: NDArray[np.float64],
    progress: Progress,
) -> NDArray[np.float32]:
    length = window_for(rate, window_s)
    hop = length // OVERLAP
    channels = samples.shape[1]
    frames = time_map.frames
    count = frames // hop + 2
    moments = np.arange(count) * hop
    places = np.round(time_map.at(moments)).astype(np.int64)
    stretches = np.searchsorted(time_map.out[1:-1], moments, "right")
    anew = slowness[stretches].astype(np.float32)
    whole = OverlapAdd(frames, channels, length, hop)
    before = np.zeros((length // 2 + 1, channels), np.complex64)
    rng = np.random.default_rng(1)
    for first in range(0, count, _AT_ONCE):
        some = slice(first, min(count, first + _AT_ONCE))
        here = spectra_at(samples, places[some], length)
        back = spectra_at(samples, places[some] - hop, length)
        rotated = np.empty_like(here)
        _lock(here, back, before, rotated, first == 0)
        before = rotated[-1].copy()
        if anew[some].any():
            rotated = _with_new_noise(rotated, anew[some], rng)
        whole.add(first, rotated)
        if not progress(min(1.0, (first + _AT_ONCE) / count)):
            break
    return whole.result()


def _with_new_noise(
    spectra: NDArray[np.complex64], anew: NDArray[np.float32], rng: np.random.Generator
) -> NDArray[np.complex64]:
    """Blend each frame with new noise of the same smoothed spectrum, in power."""
    power = np.abs(spectra) ** 2
    # a running sum past something very loud can come out below nothing
    smooth = uniform_filter1d(power, _SMOOTH_BINS, axis=1, mode="nearest")
    smooth = np.sqrt(np.maximum(smooth, 0.0))
    shape = spectra.shape
    noise = rng.standard_normal((*shape, 2), np.float32) @ np.array([1.0, 1.0j], np.complex64)
    share = anew[:, None, None]
    new = smooth * noise * np.float32(np.sqrt(0.5) * _RANDOM_GAIN)
    return np.asarray(np.sqrt(1.0 - share) * spectra + np.sqrt(share) * new, np.complex64)


@kernel
def _is_peak(power, k):  # type: ignore[no-untyped-def]
    """Whether a bin is above the two on either side."""
    for d in (1, 2):
        if k - d >= 0 and power[k - d] > power[k]:
            return False
        if k + d < len(power) and power[k + d] >= power[k]:
            return False
    return True


@kernel
def _lowest(power, first, end):  # type: ignore[no-untyped-def]
    """The lowest bin between two peaks, at which a region ends."""
    found = first
    for k in range(first, end):
        if power[k] < power[found]:
            found = k
    return found


@kernel
def _lock(here, back, before, out, fresh):  # type: ignore[no-untyped-def]
    """Turn each peak's region so that it goes on from the frame before.

    ``back`` holds what the source had one hop earlier: the peak's own advance over a hop is
    the turn from there to ``here``, whatever the pace of the map, so no phase is unwrapped.
    """
    count, bins, channels = here.shape
    power = np.empty(bins, np.float32)
    for n in range(count):
        if fresh and n == 0:
            out[n] = here[n]
            continue
        for k in range(bins):
            total = np.float32(0.0)
            for c in range(channels):
                total += here[n, k, c].real ** 2 + here[n, k, c].imag ** 2
            power[k] = total
        start = 0
        peak = -1
        for k in range(bins + 1):
            if k < bins and not _is_peak(power, k):
                continue
            if peak >= 0:
                stop = bins if k == bins else _lowest(power, peak + 1, k)
                _turn(here, back, before, out, n, peak, start, stop)
                start = stop
            peak = k
        if start < bins:
            _turn(here, back, before, out, n, min(max(peak, start), bins - 1), start, bins)


@kernel
def _turn(here, back, before, out, n, peak, start, stop):  # type: ignore[no-untyped-def]
    channels = here.shape[2]
    turn = np.complex64(0.0)
    for c in range(channels):
        last = before[peak, c] if n == 0 else out[n - 1, peak, c]
        turn += last * np.conj(back[n, peak, c])
    size = np.abs(turn)
    turn = turn / size if size > 1e-20 else np.complex64(1.0)
    for k in range(start, stop):
        for c in range(channels):
            out[n, k, c] = here[n, k, c] * turn
