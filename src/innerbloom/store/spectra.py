"""Spectra kept on disk under what they were made from, and their parts to listen to."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar

import soundfile as sf

from innerbloom.core.declare.sound import Sound
from innerbloom.core.errors import BloomError
from innerbloom.core.materials.held import FileMaterials
from innerbloom.core.materials.protocol import Locate, Request
from innerbloom.core.materials.spectrum.analyse import Progress
from innerbloom.core.materials.spectrum.document import SpectrumDocument, parse_spectrum
from innerbloom.core.materials.spectrum.files import read_spectrum
from innerbloom.core.materials.spectrum.model import RATE, Spectrum
from innerbloom.core.materials.spectrum.parts import PARTS, Part, part_sounds
from innerbloom.core.materials.spectrum.prepared import KEPT, AnalysisRequest
from innerbloom.store.files import STAGE_SOUND, FileStore
from innerbloom.store.prepared import DiskMaterials

T = TypeVar("T")


@dataclass(frozen=True)
class KeptSpectrum:
    """A spectrum at hand.

    Attributes
    ----------
    key : str
        What it is kept under.
    spectrum : Spectrum
    parts : dict
        Names of the stages that hold its parts as sounds, where they have been made.
    """

    key: str
    spectrum: Spectrum
    parts: dict[Part, str]


class SpectrumStore:
    """Takes recordings apart and keeps what comes of it."""

    def __init__(self, files: FileStore) -> None:
        self._files = files

    def key(self, sound: Sound) -> str:
        """What a sound's spectrum is kept under: all that decides how it is."""
        return AnalysisRequest.of(sound).key()

    def find(self, sound: Sound) -> KeptSpectrum | None:
        """A spectrum made before; None where it is not at hand."""
        return self.with_key(self.key(sound))

    def with_key(self, key: str) -> KeptSpectrum | None:
        """A spectrum by its key; None where it is not at hand."""
        path = self.path_of(key)
        try:
            spectrum = None if path is None else read_spectrum(path)
        except (BloomError, OSError):
            spectrum = None
        if spectrum is None:
            return None
        names = {part: _name(part, key) for part in PARTS}
        there = all(self._files.stages.find(name, STAGE_SOUND) for name in names.values())
        return KeptSpectrum(key, spectrum, names if there else {})

    def make(self, sound: Sound, progress: Progress | None = None) -> KeptSpectrum:
        """Take a sound apart, unless it was before; may raise a BloomError.

        ``progress`` is given a share of the work, and answers whether to go on: Cancelled is
        raised where it does not.
        """
        request = AnalysisRequest.of(sound)
        maker = None if progress is None else _Told(self._files.locate, progress)
        spectrum = DiskMaterials(self._files, maker).get(request)
        return self.with_key(request.key()) or KeptSpectrum(request.key(), spectrum, {})

    def with_parts(self, sound: Sound, progress: Progress | None = None) -> KeptSpectrum:
        """The same with its parts as sounds, to listen to each."""
        kept = self.make(sound, progress)
        if kept.parts:
            return kept
        names = {part: _name(part, kept.key) for part in PARTS}
        for part, samples in part_sounds(kept.spectrum).items():
            with self._files.stages.writing(names[part]) as folder:
                sf.write(folder / STAGE_SOUND, samples, RATE, subtype="FLOAT", format="WAV")
        return KeptSpectrum(kept.key, kept.spectrum, names)

    def path_of(self, key: str) -> Path | None:
        """The file of a spectrum; None where it is not at hand."""
        folder = self._files.prepared.find(key, KEPT)
        return None if folder is None else folder / KEPT


class _Told(FileMaterials):
    """Takes recordings apart and tells how far it is."""

    def __init__(self, locate: Locate, progress: Progress) -> None:
        super().__init__(locate)
        self._progress = progress

    def get(self, request: Request[T]) -> T:
        if isinstance(request, AnalysisRequest):
            return request.taken_apart(self._locate, self._progress)  # type: ignore[return-value]
        return super().get(request)


def _name(part: Part, key: str) -> str:
    return hashlib.sha256(f"{part} {key}".encode()).hexdigest()


def recipe_of(lineage: dict[str, Any]) -> SpectrumDocument | None:
    """The recipe of a spectrum on the shelf; None for other sounds."""
    plain = lineage.get("spectrum")
    return None if plain is None else parse_spectrum(plain)
