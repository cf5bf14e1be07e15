"""A spectrum made ready for the engine: one flat array, and where each part of it lies.

Parts are rows of one width: those of a moment are read together.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.materials.clip import MIP_LEVEL
from innerbloom.core.materials.spectrum.envelope import outlines
from innerbloom.core.materials.spectrum.model import RATE, Spectrum
from innerbloom.core.materials.spectrum.noise import band_noise
from innerbloom.core.materials.spectrum.slots import by_frequency, by_root, laid_out

HZ, LEVEL, PHASE, NOISE, STRUCK, OUTLINE, TRANSIENTS, SAMPLES = range(8)
PARTS = 8
"""Parts of the flat array, as places in ``mip_levels``: there ``frames`` counts rows and ``rate``
is
the width of one."""

Matching = Literal["by ratio", "by frequency"]


@dataclass(frozen=True)
class PlayedSpectrum:
    """A spectrum as the kernels read it.

    Attributes
    ----------
    audio : ndarray of float32
        All parts, one after another.
    mip_levels : ndarray of MIP_LEVEL, shape (PARTS,)
    seconds : float
    """

    audio: NDArray[np.float32]
    mip_levels: NDArray[Any]
    seconds: float

    def describe(self, record: Any) -> None:
        """Enter how it lies into a SOUND record."""
        record["seconds"] = self.seconds


def prepare_spectrum(spectrum: Spectrum, matching: Matching) -> PlayedSpectrum:
    """Lay a spectrum out for playing.

    Parameters
    ----------
    matching : {"by ratio", "by frequency"}
        Whether the place of a partial is its multiple of the root or its frequency; a spectrum
        without a root goes by frequency.
    """
    rooted = matching == "by ratio" and spectrum.root_hz is not None
    places = by_root(spectrum.root_hz) if rooted and spectrum.root_hz else by_frequency()
    laid = laid_out(spectrum, places)
    table, samples = _strikes(spectrum)
    parts = [
        laid.hz,
        laid.level,
        laid.phase,
        spectrum.noise,
        spectrum.struck,
        outlines(spectrum),
        table,
        samples[:, None],
    ]
    return _flat(parts, spectrum.seconds)


def _strikes(spectrum: Spectrum) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Rows of [frame it begins at, first sample, samples], and the samples of all."""
    table = np.zeros((len(spectrum.strikes), 3), np.float32)
    at = 0
    for row, strike in zip(table, spectrum.strikes, strict=True):
        row[:] = round(strike.at_s * RATE), at, len(strike.samples)
        at += len(strike.samples)
    pieces = [strike.samples for strike in spectrum.strikes]
    return table, np.concatenate([*pieces, np.zeros(1, np.float32)])


def _flat(parts: list[NDArray[np.float32]], seconds: float) -> PlayedSpectrum:
    mip_levels = np.zeros(PARTS, MIP_LEVEL)
    at = 0
    for number, part in enumerate(parts):
        mip_levels[number] = (at, part.shape[0], part.shape[1])
        at += part.size
    flat = np.concatenate([np.ascontiguousarray(part).ravel() for part in parts])
    return PlayedSpectrum(flat.astype(np.float32), mip_levels, seconds)


@cache
def noise_bands() -> PlayedSpectrum:
    """The noise of all bands, which lies as :func:`.group_spans` says; made once."""
    noise = band_noise()
    mip_levels = np.zeros(PARTS, MIP_LEVEL)
    mip_levels[0] = (0, len(noise), 1)
    return PlayedSpectrum(noise, mip_levels, len(noise) / RATE)
