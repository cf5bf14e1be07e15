"""What the mix view shows of the whole: its running spectrum, loudness and correlation.

Loudness by ITU-R BS.1770-4 and EBU Tech 3341: momentary over 0.4 s, short-term over 3 s,
integrated since the watch began, gated; loudness range by EBU Tech 3342.
"""

from __future__ import annotations

import math
from collections import deque

import numpy as np
import scipy
from numpy.typing import NDArray

from innerbloom.core.dsp.rates import BLOCK, RATE
from innerbloom.core.sound.levels import TruePeakMeter, k_weighting, loudness_range, lufs_of
from innerbloom.live.answers import Meters
from innerbloom.live.running_spectrum import RunningSpectrum

_MOMENTARY, _SHORT = round(0.4 * RATE / BLOCK), round(3.0 * RATE / BLOCK)
_TOGETHER = 8
_ABSOLUTE_GATE = -70.0
_SILENT_LUFS = -99.0
_RELATIVE_GATE_LU = 10.0


def _spoken(power: float) -> float:
    """Loudness in LUFS, a number in silence too."""
    return max(lufs_of(power), _SILENT_LUFS)


class MixWatch:
    """Takes in blocks of what is heard, of the whole or of one stream."""

    def __init__(self) -> None:
        self._spectrum = RunningSpectrum()
        self._filters = k_weighting(RATE)
        self._state = np.zeros((len(self._filters), 2, 2))
        self._powers: deque[float] = deque(maxlen=_SHORT)
        self._gated: list[float] = []
        self._blocks = 0
        self._peak = TruePeakMeter(RATE, 2)
        self._short_terms: list[float] = []
        self._gathered = np.zeros((_TOGETHER, BLOCK, 2), np.float32)
        self._waiting = 0

    def take_in(self, block: NDArray[np.float32]) -> None:
        """A block of shape (BLOCK, 2)."""
        self._spectrum.take_in(block)
        self._gathered[self._waiting] = block
        self._waiting += 1
        if self._waiting == _TOGETHER:
            self._measure()

    def _measure(self) -> None:
        """Measure the blocks that wait: several in one go, since each go costs as much as they do."""
        if not self._waiting:
            return
        sound = self._gathered[: self._waiting].reshape(-1, 2)
        self._waiting = 0
        self._peak.feed(sound)
        weighted, self._state = scipy.signal.sosfilt(self._filters, sound, axis=0, zi=self._state)
        for power in np.square(weighted).reshape(-1, 2 * BLOCK).sum(axis=1) / BLOCK:
            self._note(float(power))

    def _note(self, power: float) -> None:
        """The weighted power of the next block."""
        self._powers.append(power)
        self._blocks += 1
        # gating blocks overlap by three quarters
        if self._blocks % (_MOMENTARY // 4) == 0:
            loud = self._mean(_MOMENTARY)
            if lufs_of(loud) > _ABSOLUTE_GATE:
                self._gated.append(loud)
            if self._blocks >= _SHORT:
                self._short_terms.append(self._mean(_SHORT))

    def _mean(self, blocks: int) -> float:
        newest = list(self._powers)[-blocks:]
        return sum(newest) / max(1, len(newest))

    @property
    def momentary(self) -> float:
        """In LUFS."""
        self._measure()
        return _spoken(self._mean(_MOMENTARY))

    @property
    def short_term(self) -> float:
        """In LUFS."""
        self._measure()
        return _spoken(self._mean(_SHORT))

    @property
    def integrated(self) -> float:
        """In LUFS; the lowest where nothing has been loud enough yet."""
        self._measure()
        if not self._gated:
            return _spoken(0.0)
        powers = np.array(self._gated)
        gate = 10.0 ** (-_RELATIVE_GATE_LU / 10.0) * powers.mean()
        return _spoken(float(powers[powers > gate].mean()))

    @property
    def range_lu(self) -> float:
        """Loudness range in LU since the watch began (EBU Tech 3342)."""
        self._measure()
        return loudness_range(np.array(self._short_terms))

    @property
    def true_peak_db(self) -> float:
        """Highest true peak since the watch began, in dBTP."""
        self._measure()
        return 20.0 * math.log10(max(self._peak.highest, 1e-6))

    @property
    def correlation(self) -> float:
        """Of left and right, -1..1; 1 in silence."""
        left, right = self._spectrum.sound.astype(np.float64).T
        both = math.sqrt(float(left @ left) * float(right @ right))
        return float(left @ right) / both if both > 1e-12 else 1.0

    def meters(self) -> Meters:
        """All readings, rounded as they are shown."""
        return {
            "momentary": round(self.momentary, 1),
            "short_term": round(self.short_term, 1),
            "integrated": round(self.integrated, 1),
            "range": round(self.range_lu, 1),
            "peak": round(self.true_peak_db, 1),
            "correlation": round(self.correlation, 2),
        }

    def spectrum(self) -> list[int]:
        """Level of each band in dBFS, lowest band first; see :meth:`.RunningSpectrum.bands`."""
        return self._spectrum.bands()
