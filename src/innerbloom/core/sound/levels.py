"""Loudness, true peak and noise floor, measured block by block.

References
----------
.. [1] ITU-R BS.1770-4, Annex 1 (loudness: K-weighting, 400 ms blocks with 75 % overlap,
   gates at -70 LUFS and -10 LU) and Annex 2 (true peak by oversampling).
.. [2] R. Martin, "Noise power spectral density estimation based on optimal smoothing and
   minimum statistics", IEEE Trans. SAP 9(5), 2001: the floor is what quiet moments show.
"""

from __future__ import annotations

import math
from functools import cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.dsp.windowed_sinc import lowpass_taps
from innerbloom.core.sound.streaming_filter import StreamingFilter


class Shelf(NamedTuple):
    """A high shelf: its corner, gain, quality, and the power of the gain that its middle term has."""

    hz: float
    gain_db: float
    q: float
    middle: float


class HighPass(NamedTuple):
    """A high-pass of the second order."""

    hz: float
    q: float


SHELF = Shelf(1681.974450955533, 3.999843853973347, 0.7071752369554196, 0.4996667741545416)
HIGH_PASS = HighPass(38.13547087602444, 0.5003270373238773)
"""The two filters of K-weighting; see :func:`k_weighting`."""

_SURROUND_WEIGHT = 1.41
_ABSOLUTE_GATE = -70.0
_RANGE_GATE_LU = 20.0
_MOMENTARY_HOPS, _SHORT_TERM_HOPS = 4, 30
_TAPS = 12
_FLOOR_BLOCK_S = 0.05
_FLOOR_PERCENTILE = 5.0


def k_weighting(rate: float) -> NDArray[np.float64]:
    """The two filters of BS.1770 at any rate, as second-order sections of shape (2, 6).

    The analogue prototypes behind the standard's 48 kHz coefficients, by bilinear transform
    (parameters as derived by B. De Man, "Evaluation of implementations of the EBU R128
    loudness measurement", AES 145, 2018).
    """
    return np.array([_shelf(rate), _high_pass(rate)])


def loudness_filters(rate: float) -> NDArray[np.float64]:
    """K-weighting as far as it has a meaning: a shelf near or above Nyquist has none, so that rates
    below 6 kHz keep the high-pass only."""
    return k_weighting(rate) if rate >= 6_000 else k_weighting(rate)[1:]


def lufs_of(power: float) -> float:
    """Loudness of a K-weighted power, channels added (BS.1770-4); -inf for none."""
    return -0.691 + 10.0 * math.log10(power) if power > 0 else -math.inf


def loudness_range(powers: NDArray[np.floating]) -> float:
    """Loudness range in LU of short-term powers, K-weighted, a tenth of a second apart or so.

    From the 10th to the 95th percentile, gated at -70 LUFS and 20 LU below the mean (EBU Tech 3342,
    section 2); 0 where nothing is that loud.
    """
    loud = powers[powers > _power_of(_ABSOLUTE_GATE)]
    if not len(loud):
        return 0.0
    loud = loud[loud > 10.0 ** (-_RANGE_GATE_LU / 10.0) * loud.mean()]
    low, high = np.percentile(loud, (10, 95))
    return float(10.0 * np.log10(high / low))


def _power_of(lufs: float) -> float:
    """The power of a loudness: the inverse of :func:`lufs_of`."""
    return float(10.0 ** ((lufs + 0.691) / 10.0))


def _shelf(rate: float) -> list[float]:
    k, q = math.tan(math.pi * SHELF.hz / rate), SHELF.q
    vh = 10.0 ** (SHELF.gain_db / 20.0)
    vb = vh**SHELF.middle
    a0 = 1.0 + k / q + k * k
    return [
        (vh + vb * k / q + k * k) / a0,
        2.0 * (k * k - vh) / a0,
        (vh - vb * k / q + k * k) / a0,
        1.0,
        2.0 * (k * k - 1.0) / a0,
        (1.0 - k / q + k * k) / a0,
    ]


def _high_pass(rate: float) -> list[float]:
    k, q = math.tan(math.pi * HIGH_PASS.hz / rate), HIGH_PASS.q
    a0 = 1.0 + k / q + k * k
    return [1.0, -2.0, 1.0, 1.0, 2.0 * (k * k - 1.0) / a0, (1.0 - k / q + k * k) / a0]


def _oversampled_peak(x: NDArray[np.float32], phases: NDArray[np.float32]) -> float:
    """Highest absolute value between samples; ``x`` of shape (frames, channels)."""
    if len(x) < phases.shape[1]:
        return 0.0
    peak = 0.0
    for channel in x.T:
        windows = np.lib.stride_tricks.sliding_window_view(
            np.ascontiguousarray(channel), phases.shape[1]
        )
        peak = max(peak, float(np.abs(windows @ phases.T).max()))
    return peak


class TruePeakMeter:
    """The highest level between samples of a stream, at 192 kHz or more (BS.1770-4, Annex 2).

    Attributes
    ----------
    highest : float
        As linear gain, so far.
    """

    def __init__(self, rate: float, channels: int) -> None:
        self._factor = max(1, math.ceil(192_000 / rate))
        self._phases = _interpolation_phases(self._factor)
        self._tail = np.zeros((_TAPS - 1, channels), np.float32)
        self.highest = 0.0

    def feed(self, block: NDArray[np.float32]) -> None:
        """Take in a block of shape (frames, channels)."""
        self.highest = max(self.highest, float(np.abs(block).max(initial=0.0)))
        joined = np.concatenate((self._tail, block))
        if self._factor > 1:
            self.highest = max(self.highest, float(_oversampled_peak(joined, self._phases)))
        self._tail = joined[-(_TAPS - 1) :].copy()


class LevelMeter:
    """Measures a stream of blocks.

    Parameters
    ----------
    rate : float
        Frames a second in Hz.
    channels : int
        1 or 2 are front channels; of 5 or 6 the last two count as surround.
    """

    def __init__(self, rate: float, channels: int) -> None:
        self._rate = rate
        self._weighting = StreamingFilter(loudness_filters(rate), channels)
        self._weights = np.ones(channels)
        if channels >= 5:
            self._weights[-2:] = _SURROUND_WEIGHT
        self._hop = round(0.1 * rate)
        self._hops: list[NDArray[np.float64]] = []
        self._weighted: NDArray[np.floating] = np.zeros((0, channels))
        self._floor_hop = max(1, round(_FLOOR_BLOCK_S * rate))
        self._floor: list[NDArray[np.float64]] = []
        self._plain: NDArray[np.floating] = np.zeros((0, channels), np.float32)
        self._sample_peak = 0.0
        self._true_peak = TruePeakMeter(rate, channels)

    def feed(self, block: NDArray[np.float32]) -> None:
        """Take in a block of shape (frames, channels)."""
        self._sample_peak = max(self._sample_peak, float(np.abs(block).max(initial=0.0)))
        self._true_peak.feed(block)
        weighted = self._weighting(block)
        self._weighted = _collect(self._hops, self._weighted, weighted, self._hop)
        self._plain = _collect(self._floor, self._plain, block, self._floor_hop)

    @property
    def sample_peak_dbfs(self) -> float:
        """Highest sample in dB below full scale; -inf for silence."""
        return _db(self._sample_peak)

    @property
    def true_peak_dbtp(self) -> float:
        """Highest level between samples, at 192 kHz or more (BS.1770-4 Annex 2)."""
        return _db(self._true_peak.highest)

    def integrated_lufs(self) -> float:
        """Gated loudness of all that was fed; -inf for silence or under 400 ms of sound."""
        loud = self._powers(_MOMENTARY_HOPS)
        with np.errstate(divide="ignore"):
            lufs = -0.691 + 10.0 * np.log10(loud)
        gate = lufs > _ABSOLUTE_GATE
        if not gate.any():
            return -math.inf
        relative = lufs_of(float(loud[gate].mean())) - 10.0
        return lufs_of(float(loud[gate & (lufs > relative)].mean()))

    def _powers(self, hops: int) -> NDArray[np.float64]:
        """K-weighted power over so many tenths of a second, from each tenth on."""
        found = np.concatenate(self._hops) if self._hops else np.zeros((0, len(self._weights)))
        if len(found) < hops:
            return np.zeros(0)
        whole = np.lib.stride_tricks.sliding_window_view(found, hops, axis=0)
        return np.asarray(whole.mean(axis=-1) @ self._weights)

    def highest_momentary_lufs(self) -> float:
        """Highest loudness over 400 ms (EBU Tech 3341); -inf under that length, or for silence."""
        return lufs_of(float(self._powers(_MOMENTARY_HOPS).max(initial=0.0)))

    def highest_short_term_lufs(self) -> float:
        """Highest loudness over 3 s (EBU Tech 3341); -inf under that length, or for silence."""
        return lufs_of(float(self._powers(_SHORT_TERM_HOPS).max(initial=0.0)))

    def mean_power(self) -> float:
        """K-weighted power over all that was fed, silence counted in."""
        powers = self._powers(1)
        return float(powers.mean()) if len(powers) else 0.0

    def range_lu(self) -> float:
        """Loudness range (EBU Tech 3342); 0 under three seconds."""
        return loudness_range(self._powers(_SHORT_TERM_HOPS))

    def momentary_lufs(self) -> float:
        """Highest momentary loudness of a sound that fits into one window of 400 ms.

        Integrated loudness has no figure for such a sound. The window is filled up with silence,
        as a meter that shows momentary loudness sees it (EBU Tech 3341, section 2.2); -inf for
        silence and for longer sounds.
        """
        hops = np.concatenate(self._hops) if self._hops else np.zeros((0, len(self._weights)))
        if len(hops) >= 4:
            return -math.inf
        energy = self._hop * hops.sum(axis=0) + np.square(self._weighted).sum(axis=0)
        power = float(energy @ self._weights) / (4 * self._hop)
        return lufs_of(power)

    def noise_floor_dbfs(self) -> float:
        """RMS level of the quietest twentieth of 50 ms stretches, in dBFS."""
        if not self._floor:
            return self.sample_peak_dbfs
        quiet = np.percentile(np.concatenate(self._floor).mean(axis=1), _FLOOR_PERCENTILE)
        return _db(math.sqrt(float(quiet)))


def _collect(
    into: list[NDArray[np.float64]], kept: NDArray[np.floating], new: NDArray[np.floating], hop: int
) -> NDArray[np.floating]:
    """Add mean squares of whole hops to ``into`` and return the frames left over."""
    joined = np.concatenate((kept, new)) if len(kept) else new
    whole = len(joined) // hop
    if whole:
        shaped = joined[: whole * hop].reshape(whole, hop, -1)
        into.append(np.einsum("whc,whc->wc", shaped, shaped, dtype=np.float64) / hop)
    return joined[whole * hop :]


@cache
def _interpolation_phases(factor: int) -> NDArray[np.float32]:
    """Polyphase interpolator, shape (factor - 1, taps): the phases between samples."""
    if factor == 1:
        return np.zeros((0, _TAPS), np.float32)
    # at the old Nyquist frequency
    prototype = factor * lowpass_taps(_TAPS * factor + 1, 1.0 / factor, 6.0)
    phases = np.array([prototype[p : p + _TAPS * factor : factor] for p in range(1, factor)])
    return np.ascontiguousarray(phases[:, ::-1], np.float32)


def _db(value: float) -> float:
    return 20.0 * math.log10(value) if value > 0 else -math.inf


def loudness(samples: NDArray[np.float32], rate: float) -> float:
    """Integrated loudness in LUFS of samples of shape (frames, channels); -inf for silence."""
    meter = LevelMeter(rate, samples.shape[1])
    meter.feed(samples)
    return meter.integrated_lufs()
