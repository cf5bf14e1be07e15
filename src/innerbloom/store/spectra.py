"""Spectra kept on disk under what they were made from, and their parts to listen to."""

from __future__ import annotations

import hashlib
import json
import os
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import soundfile as sf

from innerbloom.core.declare.sound import Sound
from innerbloom.core.deliver.sources import spectrum_of
from innerbloom.core.errors import BloomError
from innerbloom.core.materials.spectrum.document import SpectrumDocument, parse_spectrum
from innerbloom.core.materials.spectrum.files import SUFFIX, read_spectrum, write_spectrum
from innerbloom.core.materials.spectrum.model import RATE, Spectrum
from innerbloom.core.materials.spectrum.parts import PARTS, Part, part_sounds
from innerbloom.store.files import FileStore

_VERSION = 1
"""Raised when the same recording makes another spectrum."""

_MOST_BYTES = 2 << 30


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
        said = sound.model_dump(
            mode="json", include={"recording", "start", "length", "root", "analysis"}
        )
        return _digest(json.dumps([_VERSION, said], sort_keys=True))

    def find(self, sound: Sound) -> KeptSpectrum | None:
        """A spectrum made before; None where it is not at hand."""
        return self.with_key(self.key(sound))

    def with_key(self, key: str) -> KeptSpectrum | None:
        """A spectrum by its key; None where it is not at hand."""
        path = self._path(key)
        try:
            spectrum = read_spectrum(path)
            os.utime(path)
        except (BloomError, OSError):
            return None
        names = {part: _digest(f"{part} {key}") for part in PARTS}
        there = all((self._files.stages / f"{name}.wav").is_file() for name in names.values())
        return KeptSpectrum(key, spectrum, names if there else {})

    def make(self, sound: Sound) -> KeptSpectrum:
        """Take a sound apart, unless it was before; may raise a BloomError."""
        found = self.find(sound)
        if found is not None:
            return found
        key = self.key(sound)
        spectrum = spectrum_of(sound, self._files.locate)
        path = self._path(key)
        beside = path.with_name(f"{key}.{os.getpid()}{SUFFIX}.part")
        write_spectrum(beside, spectrum, sound.name)
        os.replace(beside, path)
        self._give_up_oldest()
        return KeptSpectrum(key, spectrum, {})

    def with_parts(self, sound: Sound) -> KeptSpectrum:
        """The same with its parts as sounds, to listen to each."""
        kept = self.make(sound)
        if kept.parts:
            return kept
        names = {part: _digest(f"{part} {kept.key}") for part in PARTS}
        for part, samples in part_sounds(kept.spectrum).items():
            beside = self._files.stages / f".{names[part]}.{os.getpid()}.wav"
            sf.write(beside, samples, RATE, subtype="FLOAT", format="WAV")
            os.replace(beside, self._files.stages / f"{names[part]}.wav")
        return KeptSpectrum(kept.key, kept.spectrum, names)

    def path_of(self, key: str) -> Path:
        """The file of a spectrum at hand."""
        return self._path(key)

    def _path(self, key: str) -> Path:
        return self._files.prepared / f"{key}{SUFFIX}"

    def _give_up_oldest(self) -> None:
        kept = list(self._files.prepared.glob(f"*{SUFFIX}"))
        kept.sort(key=lambda path: path.stat().st_mtime, reverse=True)
        total = 0
        for number, path in enumerate(kept):
            total += path.stat().st_size
            if number and total > _MOST_BYTES:
                path.unlink(missing_ok=True)


def _digest(text: str) -> str:
    return hashlib.sha256(text.encode()).hexdigest()


def recipe_of(lineage: dict[str, Any]) -> SpectrumDocument | None:
    """The recipe of a spectrum on the shelf; None for other sounds."""
    plain = lineage.get("spectrum")
    return None if plain is None else parse_spectrum(plain)
