"""Finding the root of a recording, or saying that it has none.

Each frame's period is the first strong maximum of the normalised square difference
function (P. McLeod and G. Wyvill, "A smarter way to find pitch", ICMC 2005), refined over
as many periods as stay alike. The root is where frames agree; noise, whose frames do not
agree, has none.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.pitch_names import hz_to_note, note_to_hz

RATE = 16_000
FRAME = 2_048
LAGS = 960
"""Longest lag looked at, in frames at RATE: three periods at the lowest pitch."""

LOWEST_HZ, HIGHEST_HZ = 40.0, 4_200.0
_FIRST_MAXIMUM = 0.9
"""Share of the highest maximum that the first one must reach (McLeod's k)."""

_CLEAR = 0.80
"""Clarity from which a frame is said to have a pitch."""

_WIDTH_CENTS = 35.0
CONFIDENT = 0.5
"""Confidence from which a root is named at all."""

_AT_ONCE = 64
"""Frames transformed together, which bounds memory."""


@dataclass(frozen=True)
class Root:
    """A root: frequency in Hz, and how sure we are, 0..1."""

    hz: float
    confidence: float

    def note(self, tuning: float = 440.0) -> float:
        """MIDI note number with a fraction."""
        return hz_to_note(self.hz, tuning)


@dataclass(frozen=True)
class FramePitches:
    """Pitch of every frame: Hz (0 where none), clarity 0..1, level as RMS."""

    hz: NDArray[np.float64]
    clarity: NDArray[np.float64]
    rms: NDArray[np.float64]


def frame_pitches(frames: NDArray[np.float32]) -> FramePitches:
    """Pitch of each row of ``frames``, shape (n, length), sampled at RATE.

    ``length`` is FRAME, or half of it where pitches above 110 Hz are followed closely.
    """
    frames = frames - frames.mean(axis=1, keepdims=True)
    hz = np.zeros(len(frames))
    clarity = np.zeros(len(frames))
    for first in range(0, len(frames), _AT_ONCE):
        for i, row in enumerate(_square_difference(frames[first : first + _AT_ONCE]), first):
            hz[i], clarity[i] = _period_of(row)
    return FramePitches(hz, clarity, np.sqrt(np.mean(np.square(frames, dtype=np.float64), axis=1)))


def _square_difference(frames: NDArray[np.float32]) -> NDArray[np.float64]:
    """McLeod's n'(lag) in -1..1, shape (n, lags): a little under half the frame."""
    length = frames.shape[1]
    count = LAGS * length // FRAME
    spectrum = scipy.fft.rfft(frames, 2 * length, axis=1)
    product = scipy.fft.irfft(np.abs(spectrum) ** 2, axis=1)[:, :count]
    squares = np.cumsum(np.square(frames, dtype=np.float64), axis=1)
    total = squares[:, -1:]
    lags = np.arange(1, count)
    energy = np.empty((len(frames), count))
    energy[:, 0] = 2.0 * total[:, 0]
    energy[:, 1:] = squares[:, length - 1 - lags] + total - squares[:, lags - 1]
    return np.asarray(2.0 * product / np.maximum(energy, 1e-12))


def _period_of(nsdf: NDArray[np.float64]) -> tuple[float, float]:
    """Frequency and clarity of one frame; 0 Hz where there is no maximum."""
    peaks = _key_maxima(nsdf)
    if not len(peaks):
        return 0.0, 0.0
    heights = _interpolated_heights(nsdf, peaks)
    first = peaks[np.argmax(heights >= _FIRST_MAXIMUM * heights.max())]
    lag, height = parabola(nsdf, int(first))
    period = _over_many_periods(nsdf, lag, height)
    hz = RATE / period
    if not LOWEST_HZ <= hz <= HIGHEST_HZ:
        return 0.0, 0.0
    return hz, min(1.0, height)


def _key_maxima(nsdf: NDArray[np.float64]) -> NDArray[np.intp]:
    """The highest point of each positive stretch after the first fall below zero."""
    negative = np.flatnonzero(nsdf < 0)
    if not len(negative):
        return np.zeros(0, np.intp)
    middle = nsdf[1:-1]
    local = np.flatnonzero((middle > nsdf[:-2]) & (middle >= nsdf[2:]) & (middle > 0)) + 1
    # only lags that leave room to look over, and not below the shortest period
    return np.asarray(local[(local > negative[0]) & (local <= RATE / LOWEST_HZ + 1)])


def parabola(y: NDArray[np.float64], i: int) -> tuple[float, float]:
    """Place and height of the maximum through three points about ``i``."""
    a, b, c = y[i - 1], y[i], y[i + 1]
    bend = a - 2.0 * b + c
    if bend >= 0:
        return float(i), float(b)
    shift = 0.5 * (a - c) / bend
    return i + float(shift), float(b - 0.25 * (a - c) * shift)


def _interpolated_heights(
    nsdf: NDArray[np.float64], peaks: NDArray[np.intp]
) -> NDArray[np.float64]:
    """Heights between lags: a short period's sharp maxima seldom fall on a whole lag."""
    a, b, c = nsdf[peaks - 1], nsdf[peaks], nsdf[peaks + 1]
    bend = np.minimum(a - 2.0 * b + c, -1e-12)
    return np.asarray(b - 0.125 * (a - c) ** 2 / bend)


def _over_many_periods(nsdf: NDArray[np.float64], period: float, height: float) -> float:
    """Sharpen a period by looking at 2, 4, 8 … periods while those stay as clear."""
    count = 1
    while True:
        count *= 2
        near = round(count * period)
        if near + 2 >= len(nsdf):
            return period
        reach = max(1, min(int(0.2 * period), 3))
        window = nsdf[near - reach : near + reach + 1]
        peak = near - reach + int(np.argmax(window))
        if not 0 < peak < len(nsdf) - 1 or nsdf[peak] < 0.93 * height:
            return period
        lag, _ = parabola(nsdf, peak)
        if abs(lag / count - period) > 0.01 * period:
            return period
        period = lag / count


def find_root(pitches: FramePitches) -> Root | None:
    """Where the frames agree, or None for no clear pitch.

    Confidence is the share of the sound, weighted by level, whose frames are clear and lie
    within about a third of a semitone of the root, times the fourth power of their mean
    clarity: a narrow band of noise keeps to one place too, but is never as clear as a tone.
    """
    loud = pitches.rms > 0.02 * pitches.rms.max(initial=0.0)
    if not loud.any():
        return None
    weight = np.sqrt(pitches.rms) * loud
    clear = loud & (pitches.clarity >= _CLEAR) & (pitches.hz > 0)
    if not clear.any():
        return None
    notes = np.array([hz_to_note(hz) for hz in pitches.hz[clear]])
    shares = weight[clear] * pitches.clarity[clear] ** 2
    centre = _densest(notes, shares)
    near = np.abs(notes - centre) * 100.0 <= _WIDTH_CENTS
    note = _weighted_median(notes[near], shares[near])
    agreeing = float(weight[clear][near].sum() / weight.sum())
    mean_clarity = float(np.average(pitches.clarity[clear][near], weights=weight[clear][near]))
    confidence = min(1.0, agreeing * mean_clarity**4)
    if confidence < CONFIDENT:
        return None
    return Root(note_to_hz(note), confidence)


def _densest(notes: NDArray[np.float64], shares: NDArray[np.float64]) -> float:
    """The mode, by a kernel density estimate."""
    distance = (notes[:, None] - notes[None, :]) * 100.0 / _WIDTH_CENTS
    density = np.exp(-0.5 * distance**2) @ shares
    return float(notes[np.argmax(density)])


def _weighted_median(values: NDArray[np.float64], weights: NDArray[np.float64]) -> float:
    order = np.argsort(values)
    total = np.cumsum(weights[order])
    return float(values[order][np.searchsorted(total, 0.5 * total[-1])])
