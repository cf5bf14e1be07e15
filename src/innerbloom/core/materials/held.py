"""Materials that need no file: plain waves, plain noise, and clips already prepared."""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.analysis.contour import CONTOUR_HOP, CONTOUR_RATE
from innerbloom.core.analysis.segments import segments_of
from innerbloom.core.declare.sound import Sound
from innerbloom.core.materials.clip import ENGINE_RATE, Material
from innerbloom.core.materials.noise import noise_material
from innerbloom.core.materials.spectrum.model import Spectrum
from innerbloom.core.materials.spectrum.prepared import Matching, PlayedSpectrum, prepare_spectrum
from innerbloom.core.materials.wavetable.prepared import Wavetable, plain_wave
from innerbloom.core.process.colouring import power_spectra


@cache
def plain_noise(colour: str) -> Material:
    """Noise that needs no recording, made once."""
    return noise_material(colour, None, ENGINE_RATE)


plain_table = cache(plain_wave)
"""A plain wave, made once."""


class HeldMaterials:
    """Clips at hand, taken in turn by the sounds that ask, and plain noise and waves.

    A contour finds a sound that rises straight from silence to full level in a second.

    Parameters
    ----------
    clips : Material
    spectra : tuple of Spectrum
        By the sounds that ask, in turn.
    """

    def __init__(self, *clips: Material, spectra: tuple[Spectrum, ...] = ()) -> None:
        self._clips, self._spectra = clips, spectra
        self._asked: dict[str, Material] = {}
        self._played: dict[tuple[str, str], PlayedSpectrum] = {}

    def clip(self, sound: Sound) -> Material:
        name = sound.path or sound.recording or ""
        if name not in self._asked:
            self._asked[name] = self._clips[len(self._asked) % len(self._clips)]
        return self._asked[name]

    def noise(self, colour: str, sound: Sound | None) -> Material:
        return plain_noise("white" if colour == "recording" else colour)

    def wavetable(self, shape: str, sound: Sound | None) -> Wavetable:
        return plain_table("sine" if shape == "table" else shape)

    def spectrum(self, sound: Sound, matching: Matching) -> PlayedSpectrum:
        key = (sound.path or sound.recording or "", matching)
        if key not in self._played:
            spectrum = self._spectra[len(self._played) % len(self._spectra)]
            self._played[key] = prepare_spectrum(spectrum, matching)
        return self._played[key]

    def segments(self, sound: Sound) -> NDArray[np.float64]:
        return segments_of(self.clip(sound).audio[:ENGINE_RATE, :1], ENGINE_RATE)

    def colour(self, sound: Sound) -> NDArray[np.float32]:
        return power_spectra(self._clips[0].audio[:ENGINE_RATE, 0])

    def contour(self, sound: Sound) -> NDArray[np.float64]:
        levels = np.linspace(0.0, 1.0, CONTOUR_RATE // CONTOUR_HOP)
        return np.stack((levels**2, np.zeros_like(levels), np.zeros_like(levels)), axis=1)
