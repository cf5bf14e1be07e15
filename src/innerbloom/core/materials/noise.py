"""Noise of any spectrum, as a stretch that repeats without a seam.

Every frequency gets the wanted magnitude and a random phase, so the stretch is Gaussian noise
whose period is the stretch; an 11 s period is not heard as one.

References
----------
.. [1] Pink noise falls 3 dB an octave, brown 6 dB (powers 1 / f and 1 / f**2).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray
from scipy.ndimage import spline_filter1d

from innerbloom.core.materials.clip import (
    ENGINE_RATE,
    GUARD,
    MIP_LEVEL,
    MIP_LEVELS,
    OVERSAMPLED,
    Material,
)
from innerbloom.core.materials.protocol import Locate, Materials, Request

PERIOD = 1 << 19
_RMS = 10.0 ** (-8.0 / 20.0)
"""Level of the noise at a layer level of 0: about as loud as a wave of amplitude 1."""

_LOWEST_HZ = 20.0
_SEED = 20_011


def noise_material(colour: str, recording: NDArray[np.float32] | None, rate: float) -> Material:
    """Noise of a colour, shape of the audio (total, 2), the two channels unlike.

    Parameters
    ----------
    colour : {"white", "pink", "brown", "recording"}
    recording : ndarray, shape (frames, channels), or None
        Whose long-term spectrum shapes the noise (``recording`` only).
    rate : float
        Frames a second of the recording.
    """
    frequencies = np.fft.rfftfreq(PERIOD, 1.0 / ENGINE_RATE)
    power = _power(colour, recording, rate, frequencies)
    power[frequencies < _LOWEST_HZ] = 0.0
    power[-1] = 0.0
    random = np.random.default_rng(_SEED)
    phases = np.exp(2j * np.pi * random.random((len(power), 2)))
    bins = np.sqrt(power)[:, None] * phases
    bins *= _RMS * PERIOD / np.sqrt(2.0 * power.sum())
    return _laid_out(bins)


def _power(
    colour: str, recording: NDArray[np.float32] | None, rate: float, at: NDArray[Any]
) -> NDArray[np.float64]:
    if colour == "recording":
        if recording is None:
            raise ValueError("noise in the colour of a recording needs one")
        mono = recording.mean(axis=1, dtype=np.float64)
        found, density = scipy.signal.welch(mono, rate, nperseg=min(len(mono), 8192))
        power = np.interp(at, found, density, right=0.0)
        return power if power.any() else np.ones_like(at)
    fall = {"white": 0.0, "pink": 1.0, "brown": 2.0}[colour]
    return np.asarray(np.maximum(at, _LOWEST_HZ) ** -fall)


def _laid_out(bins: NDArray[np.complex128]) -> Material:
    """Copies at octave spacing; each repeats exactly, guards included."""
    blocks, mip_levels, offset = [], np.zeros(MIP_LEVELS, MIP_LEVEL), 0
    for k in range(MIP_LEVELS):
        held = PERIOD >> (k + 1)
        frames = (PERIOD * OVERSAMPLED[k]) >> k
        spectrum = np.zeros((frames // 2 + 1, 2), np.complex128)
        spectrum[:held] = bins[:held]
        block = np.fft.irfft(spectrum, frames, axis=0) * (frames / PERIOD)
        block = spline_filter1d(block, order=3, axis=0, mode="grid-wrap")
        block = np.pad(block, ((GUARD, GUARD), (0, 0)), mode="wrap")
        mip_levels[k] = (offset + GUARD, frames, frames * ENGINE_RATE / PERIOD)
        blocks.append(block.astype(np.float32))
        offset += len(block)
    return Material(
        np.concatenate(blocks), mip_levels, PERIOD / ENGINE_RATE, 0, np.zeros(0, np.float32), 0.0
    )


@cache
def plain_noise(colour: str) -> Material:
    """Noise that needs no recording, made once."""
    return noise_material(colour, None, ENGINE_RATE)


@dataclass(frozen=True)
class NoiseRequest(Request[Material]):
    """Noise of a colour, or with the spectrum of a recording."""

    colour: str

    def make(self, locate: Locate, materials: Materials) -> Material:
        if self.stretch is None:
            return plain_noise(self.colour)
        return noise_material(self.colour, *self.read(locate))
