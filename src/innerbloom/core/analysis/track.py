"""The pitch of a sound over time, how steady it is, and its steadiest stretch.

Each moment is looked at through two windows, 128 and 64 ms long, with the square difference
function of :mod:`innerbloom.core.analysis.pitch`; the short one, which follows vibrato, is
believed where it is clear and agrees with the long one. Single frames an octave away from
their neighbours are brought back by dynamic programming over each frame's candidates, as in
P. Boersma, "Accurate short-term analysis of the fundamental frequency", IFA Proceedings 17,
1993, section 4.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from innerbloom.core.analysis.mono import mono_at
from innerbloom.core.analysis.pitch import (
    FRAME,
    RATE,
    FramePitches,
    find_root,
    frame_pitches,
)
from innerbloom.core.pitch_names import hz_to_note

HOP_S = 0.01
CLEAR = 0.75
"""Clarity from which a moment is drawn and used as having a pitch."""

_CLEAR_ALONE = 0.8
_SHORT = FRAME // 2
_SHORT_LOWEST_HZ = 80.0
"""Below this, half a window holds too few periods to be trusted."""

_RUMBLE_HZ = 35.0
_QUIET = 0.01
_STEADY_CENTS = 12.0
_LEAST_STEADY_S = 0.25


@dataclass(frozen=True)
class PitchTrack:
    """Pitch at even moments.

    Attributes
    ----------
    times : ndarray, shape (n,)
        Moments in seconds from the start.
    hz, clarity, rms : ndarray, shape (n,)
        Frequency (0 where there is no pitch), clarity 0..1 and level.
    """

    times: NDArray[np.float64]
    hz: NDArray[np.float64]
    clarity: NDArray[np.float64]
    rms: NDArray[np.float64]

    @property
    def voiced(self) -> NDArray[np.bool_]:
        """Where there is a pitch worth speaking of."""
        return np.asarray(self.hz > 0)

    @property
    def notes(self) -> NDArray[np.float64]:
        """MIDI note numbers at A4 = 440 Hz; NaN where there is no pitch."""
        with np.errstate(divide="ignore"):
            found = 69.0 + 12.0 * np.log2(self.hz / 440.0)
        return np.where(self.voiced, found, np.nan)

    @property
    def share_voiced(self) -> float:
        """Share of the sound, by level, that has a pitch."""
        weight = np.sqrt(self.rms)
        total = weight.sum()
        return float(weight[self.voiced].sum() / total) if total > 0 else 0.0


@dataclass(frozen=True)
class Steadiest:
    """The steadiest stretch: where (s), its note, and its spread about that note in cents."""

    start_s: float
    end_s: float
    note: float
    spread_cents: float
    confidence: float


def pitch_track(samples: NDArray[np.float32], rate: float, hop_s: float = HOP_S) -> PitchTrack:
    """Pitch every ``hop_s`` seconds of samples of shape (frames, channels).

    Range: 40 Hz to 4.2 kHz.
    """
    mono = mono_at(samples, rate, RATE)
    count = max(1, int(len(mono) / RATE / hop_s))
    padded = np.pad(mono, (FRAME // 2, FRAME))
    if len(padded) > 64:
        without_rumble = scipy.signal.butter(2, _RUMBLE_HZ, "highpass", fs=RATE, output="sos")
        padded = scipy.signal.sosfiltfilt(without_rumble, padded).astype(np.float32)
    starts = np.round(np.arange(count) * hop_s * RATE).astype(np.intp)
    frames = np.lib.stride_tricks.sliding_window_view(padded, FRAME)[starts]
    long = frame_pitches(frames)
    loud = long.rms > max(_QUIET * float(long.rms.max()), 1e-6)
    hz = np.asarray(np.where((long.clarity >= CLEAR) & loud, long.hz, 0.0), np.float64)
    hz = _followed_closely(_without_leaps(hz, long.clarity), loud, frames)
    hz = _without_leaps(hz, long.clarity)
    times = np.arange(count, dtype=np.float64) * hop_s
    return PitchTrack(times, hz, long.clarity, long.rms)


def _followed_closely(
    hz: NDArray[np.float64], loud: NDArray[np.bool_], frames: NDArray[np.float32]
) -> NDArray[np.float64]:
    """The pitch of each frame's middle half where that is clear: it smears less over time."""
    able = np.flatnonzero(loud & ((hz == 0) | (hz >= _SHORT_LOWEST_HZ)))
    if not len(able):
        return hz
    middle = frames[able, FRAME // 2 - _SHORT // 2 : FRAME // 2 + _SHORT // 2]
    short = frame_pitches(middle)
    # alone, a short window has to be clearer to be believed
    alone = (hz[able] == 0) & (short.clarity >= _CLEAR_ALONE) & (short.hz >= _SHORT_LOWEST_HZ)
    both = (hz[able] > 0) & (short.clarity >= CLEAR) & (short.hz > 0)
    ratio = np.abs(np.log2(np.where(both, short.hz, 1.0) / np.where(both, hz[able], 1.0)))
    better = alone | (both & (ratio < 1.5 / 12.0))
    out = hz.copy()
    out[able[better]] = short.hz[better]
    return out


def _without_leaps(hz: NDArray[np.float64], clarity: NDArray[np.float64]) -> NDArray[np.float64]:
    """Bring frames an octave or twelfth off their neighbours back; drop lone frames."""
    voiced = np.flatnonzero(hz > 0)
    if len(voiced) < 3:
        return hz
    factors = np.array([1.0, 2.0, 0.5, 3.0, 1.0 / 3.0])
    prices = np.array([0.0, 0.6, 0.6, 0.8, 0.8])
    notes = np.log2(hz[voiced])[:, None] + np.log2(factors)[None, :]
    cost = np.zeros(notes.shape)
    came = np.zeros(notes.shape, np.intp)
    cost[0] = prices
    for i in range(1, len(voiced)):
        gap = voiced[i] - voiced[i - 1]
        leap = np.abs(notes[i][:, None] - notes[i - 1][None, :])
        # a leap after a pause costs less: a new note may have begun
        step = cost[i - 1][None, :] + np.minimum(leap, 1.0) / gap
        came[i] = step.argmin(axis=1)
        cost[i] = step.min(axis=1) + prices * clarity[voiced[i]]
    path = np.zeros(len(voiced), np.intp)
    path[-1] = cost[-1].argmin()
    for i in range(len(voiced) - 1, 0, -1):
        path[i - 1] = came[i][path[i]]
    out = hz.copy()
    out[voiced] = hz[voiced] * factors[path]
    lone = (out > 0) & (np.pad(out, 1)[:-2] == 0) & (np.pad(out, 1)[2:] == 0)
    out[lone] = 0.0
    return out


def root_of(track: PitchTrack) -> tuple[float | None, float]:
    """Root as a MIDI note (None for no clear pitch) and confidence, by where frames agree."""
    root = find_root(FramePitches(track.hz, track.clarity, track.rms))
    return (None, 0.0) if root is None else (hz_to_note(root.hz), root.confidence)


def steadiest(track: PitchTrack) -> Steadiest | None:
    """The longest stretch whose pitch stays within about twelve cents, louder ones first.

    None where no quarter of a second is that steady.
    """
    best: Steadiest | None = None
    best_worth = 0.0
    hop = float(track.times[1] - track.times[0]) if len(track.times) > 1 else HOP_S
    least = max(3, round(_LEAST_STEADY_S / hop))
    notes = track.notes
    for first, last in _runs(track.voiced):
        for a, b in _steady_runs(notes[first:last]):
            a, b = _settled(notes[first:last], a, b)
            if b - a < least:
                continue
            inside = slice(first + a, first + b)
            weight = track.rms[inside] * track.clarity[inside] ** 2
            note = float(np.average(notes[inside], weights=weight))
            spread = float(100 * np.sqrt(np.average((notes[inside] - note) ** 2, weights=weight)))
            worth = float(np.sqrt(track.rms[inside]).sum()) / (1.0 + spread / _STEADY_CENTS)
            if worth > best_worth:
                confidence = float(track.clarity[inside].mean() ** 4)
                best = Steadiest(
                    float(track.times[first + a]),
                    float(track.times[first + b - 1] + hop),
                    note,
                    spread,
                    confidence,
                )
                best_worth = worth
    return best


def _runs(mask: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Stretches of True as (first, one past the last)."""
    edges = np.flatnonzero(np.diff(np.pad(mask.astype(np.int8), 1)))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))


def _steady_runs(notes: NDArray[np.float64]) -> list[tuple[int, int]]:
    """Greedy stretches that stay within the width of steadiness."""
    width = 4.0 * _STEADY_CENTS / 100.0
    out = []
    start = 0
    low = high = notes[0]
    for i, note in enumerate(notes):
        new_low, new_high = min(low, note), max(high, note)
        if new_high - new_low > width:
            out.append((start, i))
            start, new_low, new_high = i, note, note
        low, high = new_low, new_high
    out.append((start, len(notes)))
    return out


def _settled(notes: NDArray[np.float64], start: int, end: int) -> tuple[int, int]:
    """The longest part of a run that keeps within reach of the run's own middle."""
    near = np.abs(notes[start:end] - np.median(notes[start:end])) <= _STEADY_CENTS / 100.0
    first, last = max(_runs(near), key=lambda run: run[1] - run[0], default=(0, 0))
    return start + first, start + last


def stability_cents(track: PitchTrack) -> float | None:
    """Standard deviation of the voiced pitch about its median, in cents, weighted by level."""
    notes = track.notes[track.voiced]
    if not len(notes):
        return None
    weight = track.rms[track.voiced]
    centre = np.median(notes)
    return float(100.0 * np.sqrt(np.average((notes - centre) ** 2, weights=weight + 1e-12)))
