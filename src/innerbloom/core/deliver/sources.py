"""Where a document's sounds are: beside the document, or on the shelf by their hash."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.analysis.contour import contour_of
from innerbloom.core.analysis.mono import mono_at
from innerbloom.core.analysis.segments import segments_of
from innerbloom.core.declare.sound import MAX_STRETCH_S, Sound
from innerbloom.core.engine import ENGINE_RATE, Material, prepare_material
from innerbloom.core.errors import DocumentError
from innerbloom.core.materials.held import plain_noise, plain_table
from innerbloom.core.materials.noise import noise_material
from innerbloom.core.materials.spectrum.analyse import analyse
from innerbloom.core.materials.spectrum.files import SUFFIX as SPECTRUM_SUFFIX
from innerbloom.core.materials.spectrum.files import read_spectrum
from innerbloom.core.materials.spectrum.model import Spectrum
from innerbloom.core.materials.spectrum.prepared import Matching, PlayedSpectrum, prepare_spectrum
from innerbloom.core.materials.wavetable.prepared import Wavetable, wavetable_from
from innerbloom.core.materials.wavetable.table import CYCLE
from innerbloom.core.pitch_names import note_to_hz
from innerbloom.core.process.colouring import power_spectra
from innerbloom.core.sound.files import read_stretch

T = TypeVar("T", Material, Wavetable, PlayedSpectrum, NDArray[np.float64], NDArray[np.float32])

DEFAULT_CYCLE = CYCLE
"""Frames of a wavetable's cycle where a sound does not say."""

Locate = Callable[[Sound], Path]
"""Finds the audio file of a sound, or raises a BloomError."""


def beside(folder: Path) -> Locate:
    """Sounds whose ``path`` is relative to a folder."""

    def locate(sound: Sound) -> Path:
        if sound.path is None:
            raise DocumentError(
                "The instrument names a recording without saying where it is: export it as a bundle."
            )
        path = (folder / sound.path).resolve()
        if not path.is_relative_to(folder.resolve()):
            raise DocumentError(f"The instrument reaches outside its folder: '{sound.path}'.")
        if not path.is_file():
            raise DocumentError(f"The recording '{sound.path}' is not beside the instrument.")
        return path

    return locate


def read_sound(sound: Sound, locate: Locate) -> tuple[NDArray[np.float32], int]:
    """Samples of shape (frames, 1 or 2) and rate of the stretch that a sound names."""
    return read_stretch(locate(sound), sound.start, sound.length, MAX_STRETCH_S)


def load_material(sound: Sound, locate: Locate) -> Material:
    """Read and prepare the stretch that a sound names."""
    return prepare_material(*read_sound(sound, locate))


def make_noise(colour: str, sound: Sound | None, locate: Locate) -> Material:
    """Noise of a colour, from a recording's spectrum where a sound is given."""
    if sound is None:
        return plain_noise(colour)
    return noise_material(colour, *read_sound(sound, locate))


def make_wavetable(shape: str, sound: Sound | None, locate: Locate) -> Wavetable:
    """A plain wave, or the frames of a sound."""
    if sound is None:
        return plain_table(shape)
    samples, _ = read_sound(sound, locate)
    return wavetable_from(samples, sound.cycle or DEFAULT_CYCLE)


def spectrum_of(sound: Sound, locate: Locate) -> Spectrum:
    """The spectrum of the stretch that a sound names, or the one that its file holds."""
    path = locate(sound)
    if path.suffix == SPECTRUM_SUFFIX:
        return read_spectrum(path)
    samples, rate = read_sound(sound, locate)
    root = None if sound.root is None else note_to_hz(sound.root)
    return analyse(samples, rate, root, sound.analysis)


def colour_of(sound: Sound, locate: Locate) -> NDArray[np.float32]:
    """Power spectra of a sound that lends its outline."""
    return power_spectra(mono_at(*read_sound(sound, locate), ENGINE_RATE))


class FileMaterials:
    """Materials for :func:`~innerbloom.core.engine.compile_program`, each made once.

    Parameters
    ----------
    locate : callable
        Finds the audio file of a sound, or raises a BloomError.
    """

    def __init__(self, locate: Locate) -> None:
        self._locate = locate
        self._seen: dict[
            tuple[object, ...],
            Material | Wavetable | PlayedSpectrum | NDArray[np.float64] | NDArray[np.float32],
        ] = {}

    def clip(self, sound: Sound) -> Material:
        key = (self._locate(sound), sound.start, sound.length)
        return self._once(key, lambda: load_material(sound, self._locate))

    def noise(self, colour: str, sound: Sound | None) -> Material:
        if sound is None:
            return plain_noise(colour)
        key = (colour, self._locate(sound), sound.start, sound.length)
        return self._once(key, lambda: make_noise(colour, sound, self._locate))

    def wavetable(self, shape: str, sound: Sound | None) -> Wavetable:
        if sound is None:
            return plain_table(shape)
        key = (shape, self._locate(sound), sound.start, sound.length, sound.cycle)
        return self._once(key, lambda: make_wavetable(shape, sound, self._locate))

    def spectrum(self, sound: Sound, matching: Matching) -> PlayedSpectrum:
        said = None if sound.analysis is None else sound.analysis.model_dump_json()
        key = (matching, self._locate(sound), sound.start, sound.length, sound.root, said)
        return self._once(key, lambda: prepare_spectrum(spectrum_of(sound, self._locate), matching))

    def segments(self, sound: Sound) -> NDArray[np.float64]:
        key = ("segments", self._locate(sound), sound.start, sound.length)
        return self._once(key, lambda: segments_of(*read_sound(sound, self._locate)))

    def colour(self, sound: Sound) -> NDArray[np.float32]:
        key = ("colour", self._locate(sound), sound.start, sound.length)
        return self._once(key, lambda: colour_of(sound, self._locate))

    def contour(self, sound: Sound) -> NDArray[np.float64]:
        key = ("contour", self._locate(sound), sound.start, sound.length)
        return self._once(key, lambda: contour_of(*read_sound(sound, self._locate)))

    def _once(self, key: tuple[object, ...], make: Callable[[], T]) -> T:
        if key not in self._seen:
            self._seen[key] = make()  # type: ignore[assignment]
        return self._seen[key]  # type: ignore[return-value]


def file_digest(path: Path) -> str:
    """SHA-256 of a file's content, as 64 hexadecimal digits."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
