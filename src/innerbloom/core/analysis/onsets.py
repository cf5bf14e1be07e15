"""Where sounds begin.

Onset strength is the rise of a log-spectrum over a short while, each band compared with the
highest of its neighbours so that vibrato does not count as a beginning: S. Böck and
G. Widmer, "Maximum filter vibrato suppression for onset detection", DAFx-13, 2013.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache

import numpy as np
import scipy.fft
import soxr
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d, median_filter
from scipy.sparse import csr_array

from innerbloom.core.analysis.mono import one_channel

RATE = 24_000
HOP = 120
"""Frames at RATE between two looks: 5 ms."""

_WINDOW = 512
_BANDS = 96
_LAG = 3
_NEIGHBOURS = 7
"""Bands that count as one for vibrato: about three semitones either way."""

_FLOOR = 3e-4
_NEIGHBOURHOOD_S = 0.4
SENSITIVITY = 0.4
"""Where looking for onsets starts out, 0..1."""

LEAST_GAP_S = 0.06
LEAST_LEVEL_DB = -50.0
_MASKED_S = 0.4
"""Seconds after a beginning in which a weaker one may be part of it."""

_JUST_BEFORE = (14, 3)
"""Looks before a peak, first and last, whose level it has to rise above: 70 to 15 ms."""

_AROUND_S = 0.03


@dataclass(frozen=True)
class Strength:
    """Onset strength every ``hop_s`` seconds, 0 and up, and the level in dBFS beside it."""

    values: NDArray[np.float32]
    level_db: NDArray[np.float32]
    hop_s: float


@cache
def _band_matrix() -> csr_array:
    """Triangles even in log frequency from 60 Hz to 11 kHz, shape (bands, bins).

    Sparse: each band looks at a few bins only.
    """
    bins = np.arange(_WINDOW // 2 + 1) * RATE / _WINDOW
    edges = np.geomspace(60.0, 11_000.0, _BANDS + 2)
    matrix = np.zeros((len(bins), _BANDS), np.float32)
    for band in range(_BANDS):
        low, mid, high = edges[band : band + 3]
        matrix[:, band] = np.clip(
            np.minimum((bins - low) / (mid - low), (high - bins) / (high - mid)), 0.0, 1.0
        )
        if not matrix[:, band].any():
            matrix[np.abs(bins - mid).argmin(), band] = 1.0
    return csr_array((matrix / matrix.sum(axis=0)).T.astype(np.float32))


class OnsetCollector:
    """Onset strength of a sound that comes in blocks; hours can be fed, 200 looks a second kept.

    Parameters
    ----------
    rate : int
        Frames a second of what is fed.
    """

    def __init__(self, rate: int) -> None:
        self._stream = soxr.ResampleStream(rate, RATE, 1, dtype="float32", quality="MQ")
        self._bands = _band_matrix()
        self._window = np.hanning(_WINDOW + 1)[:-1].astype(np.float32)
        self._kept = np.zeros(_WINDOW // 2, np.float32)
        self._before: NDArray[np.float32] | None = None
        self._values: list[NDArray[np.float32]] = []
        self._levels: list[NDArray[np.float32]] = []

    def feed(self, block: NDArray[np.float32]) -> None:
        """Take in a block of shape (frames, channels)."""
        self._take(self._stream.resample_chunk(one_channel(block)))

    def _take(self, new: NDArray[np.float32]) -> None:
        self._kept = np.concatenate((self._kept, new))
        count = (len(self._kept) - _WINDOW) // HOP + 1
        if count < 1:
            return
        frames = np.lib.stride_tricks.sliding_window_view(self._kept, _WINDOW)[: count * HOP : HOP]
        power = np.abs(scipy.fft.rfft(frames * self._window, axis=1)) / (_WINDOW / 4)
        self._rise(np.log10((self._bands @ power.T).T + _FLOOR))
        middle = frames[:, _WINDOW // 2 - HOP : _WINDOW // 2 + HOP]
        mean = np.mean(np.square(middle, dtype=np.float64), axis=1)
        self._levels.append((10.0 * np.log10(mean + 1e-12)).astype(np.float32))
        self._kept = self._kept[count * HOP :]

    def _rise(self, bands: NDArray[np.float32]) -> None:
        """Mean rise over the bands against the look a little earlier."""
        if self._before is None:
            self._before = np.repeat(bands[:1], _LAG, axis=0)
        joined = np.concatenate((self._before, bands))
        reference = maximum_filter1d(joined[:-_LAG], _NEIGHBOURS, axis=1)
        rise = np.maximum(joined[_LAG:] - reference, 0.0).mean(axis=1)
        self._values.append(rise.astype(np.float32))
        self._before = joined[-_LAG:]

    def strength(self) -> Strength:
        """All there is; nothing can be fed afterwards."""
        rest = self._stream.resample_chunk(np.zeros(1, np.float32), last=True)
        self._take(np.concatenate((rest, np.zeros(_WINDOW // 2, np.float32))))
        none = [np.zeros(0, np.float32)]
        return Strength(
            np.concatenate(self._values or none), np.concatenate(self._levels or none), HOP / RATE
        )


def onset_strength(samples: NDArray[np.float32], rate: int) -> Strength:
    """Onset strength of samples of shape (frames, channels)."""
    collector = OnsetCollector(rate)
    collector.feed(samples)
    return collector.strength()


def threshold(strength: Strength, sensitivity: float) -> NDArray[np.float32]:
    """What the strength has to pass, drawn on the picture.

    Parameters
    ----------
    sensitivity : float
        0 finds hardly anything, 1 nearly every rise.
    """
    reach = max(3, round(_NEIGHBOURHOOD_S / strength.hop_s)) | 1
    local = median_filter(strength.values, reach, mode="nearest")
    return np.asarray(local + 0.6 * 10.0 ** (-2.2 * sensitivity), np.float32)


def pick_onsets(
    strength: Strength,
    sensitivity: float = SENSITIVITY,
    least_gap_s: float = LEAST_GAP_S,
    least_level_db: float = LEAST_LEVEL_DB,
) -> NDArray[np.float64]:
    """Moments in seconds at which sounds begin, in order, to within the hop.

    Peak picking as in [1]_: the highest of its surroundings, above the threshold, a least gap
    after the one before. A strike's own decay rises here and there, and a step on gravel or snow
    is many small ones: what hardly rises above the loudest of just before, or comes shortly after
    a stronger beginning, is part of it; the sooner, the stronger it has to be, as after a masker
    [2]_.

    Parameters
    ----------
    sensitivity : float
        0 finds hardly anything, 1 nearly every rise.
    least_gap_s : float
        Seconds between two beginnings at least.
    least_level_db : float
        How far below the loudest look a sound may lie, in dB.

    References
    ----------
    .. [1] S. Böck, F. Krebs and M. Schedl, "Evaluating the online capabilities of onset
       detection methods", ISMIR 2012.
    .. [2] W. Jesteadt, S. P. Bacon and J. R. Lehman, "Forward masking as a function of frequency,
       masker level, and signal delay", Journal of the Acoustical Society of America 71(4), 1982:
       it fades within some tenths of a second. How far here is measured on real steps and strikes.
    """
    values, level = strength.values, strength.level_db
    if len(values) < 3:
        return np.zeros(0)
    highest = maximum_filter1d(values, 2 * max(1, round(_AROUND_S / strength.hop_s)) + 1)
    peaks = np.flatnonzero((values >= highest) & (values > threshold(strength, sensitivity)))
    least_rise_db = max(0.0, 15.0 * (0.8 - sensitivity))
    masked = max(0.0, (1.0 - sensitivity) / (1.0 - SENSITIVITY))
    first, past = _JUST_BEFORE
    loudest = float(level.max())
    found: list[float] = []
    last = -1.0
    for peak in peaks.tolist():
        loud = float(level[max(0, peak - 1) : peak + 7].max())
        quiet = float(np.percentile(level[max(0, peak - first) : max(1, peak - past)], 75))
        moment = _rise_start(level, values, peak) * strength.hop_s
        since = moment - found[-1] if found else np.inf
        if loud < loudest + least_level_db or loud - quiet < least_rise_db:
            continue
        fades = max(0.0, 1.0 - since / _MASKED_S)
        if since < least_gap_s or values[peak] < masked * fades * last:
            continue
        found.append(moment)
        last = float(values[peak])
    return np.array(found)


Read = Callable[[int, int], NDArray[np.float32]]
"""``read(first, count)`` gives frames of shape (count or fewer, channels)."""


def sharpened(onsets: NDArray[np.float64], read: Read, rate: int) -> NDArray[np.float64]:
    """Onsets moved to the sample at which the sound begins to rise, by its envelope over 1 ms.

    That is where it last lay below 6 % of the peak that follows, or above the noise before it.
    """
    before, after = round(_AROUND_S * rate), round(0.5 * _AROUND_S * rate)
    width = max(3, round(0.001 * rate))
    out = onsets.copy()
    for i, moment in enumerate(onsets.tolist()):
        first = max(0, round(moment * rate) - before)
        envelope = maximum_filter1d(np.abs(one_channel(read(first, before + after))), width)
        peak = int(envelope.argmax()) if len(envelope) else 0
        if peak == 0:
            continue
        noise = float(np.percentile(envelope[:peak], 20))
        low = np.flatnonzero(envelope[: peak + 1] < max(0.06 * envelope[peak], 1.8 * noise))
        # the envelope looks half its width ahead
        start = (int(low[-1]) + 1 if len(low) else 0) + width // 2
        out[i] = (first + start) / rate
    return np.maximum.accumulate(out)


def _rise_start(level: NDArray[np.float32], values: NDArray[np.float32], peak: int) -> int:
    """The look before the rise: strength peaks up to three looks after the sound begins."""
    first = max(0, peak - _LAG - 2)
    steps = np.diff(level[first : peak + 2])
    return first + int(np.argmax(steps)) + 1 if len(steps) else peak
