"""A spectrum made ready for the engine: one flat array, and where each part of it lies.

Parts are rows of one width: those of a moment are read together.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.sound import Sound
from innerbloom.core.declare.spectrum_settings import Analysis
from innerbloom.core.materials.clip import MIP_LEVEL
from innerbloom.core.materials.protocol import Locate, Materials, Request, Stretch
from innerbloom.core.materials.spectrum.analyse import Progress, analyse
from innerbloom.core.materials.spectrum.bands import BANDS, partial_levels
from innerbloom.core.materials.spectrum.envelope import outlines
from innerbloom.core.materials.spectrum.files import SUFFIX, read_spectrum, write_spectrum
from innerbloom.core.materials.spectrum.model import RATE, Spectrum
from innerbloom.core.materials.spectrum.noise import band_noise
from innerbloom.core.materials.spectrum.slots import by_frequency, by_root, laid_out
from innerbloom.core.materials.spectrum.stereo import as_powers
from innerbloom.core.pitch_names import note_to_hz

HZ, LEVEL, PHASE, NOISE, STRUCK, OUTLINE, TRANSIENTS, SAMPLES, PARTIAL_SIDE, NOISE_SIDE = range(10)
PARTIAL_BANDS = 10
PARTS = 11
"""Parts of the flat array, as places in ``mip_levels``: there ``frames`` counts rows and ``rate`` is
the width of one. PARTIAL_SIDE and NOISE_SIDE have no rows where the sound has no side: the side of partials over
their mid, all real parts and then all imaginary ones; and the share of the power of noise that lies
in the side, of all bands, and then its correlation with the mid. Samples are pairs of mid and side. PARTIAL_BANDS holds the levels of
partials together, band by band."""

KEPT = f"kept{SUFFIX}"
"""Name of the file that a kept spectrum lies in."""

Matching = Literal["by ratio", "by frequency"]


@dataclass(frozen=True)
class PlayedSpectrum:
    """A spectrum as the kernels read it.

    Attributes
    ----------
    audio : ndarray of float32
        All parts, one after another; of int16 where it holds the noise of bands.
    mip_levels : ndarray of MIP_LEVEL, shape (PARTS,)
    seconds : float
    """

    audio: NDArray[Any]
    mip_levels: NDArray[Any]
    seconds: float

    def part(self, number: int) -> NDArray[Any]:
        """One part, shape (rows, width)."""
        place = self.mip_levels[number]
        rows, width = int(place["frames"]), int(place["rate"])
        first = int(place["offset"])
        return self.audio[first : first + rows * width].reshape(rows, width)

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
    side = _side_shares(spectrum)
    table, samples = _strikes(spectrum)
    spectrum = as_powers(spectrum)
    laid = laid_out(spectrum, places)
    parts = [
        laid.hz,
        laid.level,
        laid.phase,
        spectrum.noise,
        spectrum.struck,
        outlines(spectrum),
        table,
        samples,
        np.concatenate([laid.side.real, laid.side.imag], axis=1),
        side,
        partial_levels(laid.hz, laid.level),
    ]
    return _flat(parts, spectrum.seconds)


def _strikes(spectrum: Spectrum) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Rows of [frame it begins at, first pair of samples, pairs], and the samples of all."""
    table = np.zeros((len(spectrum.strikes), 3), np.float32)
    at = 0
    for row, strike in zip(table, spectrum.strikes, strict=True):
        row[:] = round(strike.at_s * RATE), at, len(strike.samples)
        at += len(strike.samples)
    pieces = [
        np.stack([one.samples, np.zeros_like(one.samples) if one.side is None else one.side], 1)
        for one in spectrum.strikes
    ]
    return table, np.concatenate([*pieces, np.zeros((1, 2), np.float32)])


def _side_shares(spectrum: Spectrum) -> NDArray[np.float32]:
    """What NOISE_SIDE holds, shape (moments, 2 * BANDS), or without rows."""
    if spectrum.side_noise is None:
        return np.zeros((0, 2 * BANDS), np.float32)
    side = spectrum.side_noise.level**2
    share = side / np.maximum(side + spectrum.noise**2, 1e-20)
    return np.concatenate([share, spectrum.side_noise.correlation], axis=1, dtype=np.float32)


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


@dataclass(frozen=True)
class AnalysisRequest(Request[Spectrum]):
    """A stretch taken apart; a file that holds a spectrum is read.

    Attributes
    ----------
    root : float or None
        MIDI note of the sound, where it has one.
    """

    root: float | None = None
    analysis: Analysis | None = None

    kept_on_disk: ClassVar[bool] = True
    version: ClassVar[int] = 4

    @classmethod
    def of(cls, sound: Sound) -> AnalysisRequest:
        """What a sound's spectrum is made of."""
        return cls(Stretch.of(sound), sound.root, sound.analysis)

    def make(self, locate: Locate, materials: Materials) -> Spectrum:
        return self.taken_apart(locate)

    def taken_apart(self, locate: Locate, progress: Progress | None = None) -> Spectrum:
        """The same, telling how far it is; raises Cancelled where it is not to go on."""
        assert self.stretch is not None
        path = locate(self.stretch)
        if path.suffix == SUFFIX:
            return read_spectrum(path)
        root_hz = None if self.root is None else note_to_hz(self.root)
        return analyse(*self.read(locate), root_hz, self.analysis, progress)

    def save(self, made: Spectrum, folder: Path) -> None:
        write_spectrum(folder / KEPT, made)

    def load(self, folder: Path) -> Spectrum:
        return read_spectrum(folder / KEPT)


@dataclass(frozen=True)
class SpectrumRequest(Request[PlayedSpectrum]):
    """A spectrum to be played."""

    analysis: AnalysisRequest
    matching: Matching

    @classmethod
    def of(cls, sound: Sound, matching: Matching) -> SpectrumRequest:
        return cls(Stretch.of(sound), AnalysisRequest.of(sound), matching)

    def make(self, locate: Locate, materials: Materials) -> PlayedSpectrum:
        return prepare_spectrum(materials.get(self.analysis), self.matching)
