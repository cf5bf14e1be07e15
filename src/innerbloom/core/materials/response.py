"""A sound as the response of a space: what it is convolved with, brought to one level.

The level is held by weighting the response's power spectrum as pink noise and the ear would
(ITU-R BS.1770-4), so that a sound with as much in every octave comes out as loud as it went in.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy.fft
import soxr
from numpy.typing import NDArray

from innerbloom.core.dsp.partitioned import Response, partitioned
from innerbloom.core.dsp.rates import RATE
from innerbloom.core.materials.protocol import Locate, Materials, Request
from innerbloom.core.process.stretch import stretch
from innerbloom.core.sound.fades import faded
from innerbloom.core.sound.levels import k_weighting

LONGEST_S = 10.0
_END_FADE_S = 0.01
_SILENT = 1e-9
_AUDIBLE_HZ = 20.0
_LOWEST_HZ, _HIGHEST_HZ = 30.0, 16_000.0


@dataclass(frozen=True)
class ResponseRequest(Request[Response | None]):
    """A response made of a stretch; None where the stretch is silent.

    Attributes
    ----------
    speed : float
        How fast it is read, 1 as recorded: its pitch goes along.
    length : float
        How many times as long it is made, its pitch unchanged.
    fade_in_s, fade_out_s : float
    tilt_db : float
        By how much each octave is louder than the one below, turned about 1 kHz.
    reverse : bool
    level : tuple of (float, float)
        Places along it and gains there, both in 0..1, places rising.
    """

    speed: float = 1.0
    length: float = 1.0
    fade_in_s: float = 0.0
    fade_out_s: float = 0.0
    tilt_db: float = 0.0
    reverse: bool = False
    level: tuple[tuple[float, float], ...] = ((0.0, 1.0), (1.0, 1.0))

    def make(self, locate: Locate, materials: Materials) -> Response | None:
        made = self.samples(*self.read(locate))
        return None if made is None else partitioned(made)

    def samples(self, sound: NDArray[np.float32], rate: int) -> NDArray[np.float32] | None:
        """The response as samples of shape (frames, channels) at RATE."""
        # no more is read than can be heard of it
        needed = LONGEST_S * rate * self.speed / max(self.length, 1e-3)
        kept = sound[: max(1, round(needed))]
        shaped = np.asarray(soxr.resample(kept, rate * self.speed, RATE, quality="HQ"), np.float32)
        if self.length != 1.0 and len(shaped) > RATE // 20:
            shaped = stretch(shaped, RATE, self.length)
        shaped = shaped[: round(LONGEST_S * RATE)]
        # what lies below hearing would only add mud, and take up all the level
        audible = scipy.signal.butter(2, _AUDIBLE_HZ, "high", fs=RATE, output="sos")
        shaped = np.asarray(scipy.signal.sosfilt(audible, shaped, axis=0), np.float32)
        if self.reverse:
            shaped = shaped[::-1]
        if self.tilt_db:
            shaped = _tilted(shaped, self.tilt_db)
        return _levelled(self._faded(shaped))

    def _faded(self, sound: NDArray[np.float32]) -> NDArray[np.float32]:
        places, gains = zip(*self.level, strict=True)
        along = (np.arange(len(sound)) + 0.5) / max(1, len(sound))
        drawn = sound * np.interp(along, places, gains).astype(np.float32)[:, None]
        end = max(self.fade_out_s, _END_FADE_S if len(sound) > RATE // 10 else 0.0)
        return faded(drawn, round(self.fade_in_s * RATE), round(end * RATE))


def _tilted(sound: NDArray[np.float32], db_an_octave: float) -> NDArray[np.float32]:
    size = scipy.fft.next_fast_len(2 * len(sound), real=True)
    hz = np.clip(np.fft.rfftfreq(size, 1.0 / RATE), _LOWEST_HZ, _HIGHEST_HZ)
    gains = 10.0 ** (db_an_octave * np.log2(hz / 1_000.0) / 20.0)
    spectrum = scipy.fft.rfft(sound, size, axis=0) * gains[:, None]
    return np.asarray(scipy.fft.irfft(spectrum, size, axis=0)[: len(sound)], np.float32)


def _levelled(sound: NDArray[np.float32]) -> NDArray[np.float32] | None:
    if not len(sound) or np.abs(sound).max() < _SILENT:
        return None
    size = scipy.fft.next_fast_len(max(len(sound), 4_096), real=True)
    power = (np.abs(scipy.fft.rfft(sound, size, axis=0)) ** 2).mean(axis=1)
    hz = np.fft.rfftfreq(size, 1.0 / RATE)
    heard = (hz > 0.0) & (hz <= _HIGHEST_HZ)
    _, weighting = scipy.signal.sosfreqz(k_weighting(RATE), hz[heard], fs=RATE)
    weights = np.abs(weighting) ** 2 / hz[heard]
    gain = np.sqrt((power[heard] * weights).sum() / weights.sum())
    return np.asarray(sound / max(gain, _SILENT), np.float32)
