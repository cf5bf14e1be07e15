"""Prepared sounds on disk: made once, then mapped into memory, the oldest given up first."""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.sound import Sound
from innerbloom.core.deliver.sources import FileMaterials, load_material
from innerbloom.core.errors import SoundFileError
from innerbloom.core.materials.clip import Material
from innerbloom.core.materials.spectrum.prepared import Matching, PlayedSpectrum, prepare_spectrum
from innerbloom.core.materials.wavetable.prepared import Wavetable
from innerbloom.store.files import FileStore
from innerbloom.store.spectra import SpectrumStore

MOST_BYTES = 8 << 30


def prepared_path(store: FileStore, sound: Sound) -> Path:
    """Where the description of a prepared stretch is kept; its samples lie beside it."""
    length = "end" if sound.length is None else f"{sound.length:.4f}"
    return store.prepared / f"{sound.recording}-{sound.start:.4f}-{length}.npz"


def find_prepared(store: FileStore, sound: Sound) -> Material | None:
    """A stretch prepared earlier, its samples mapped rather than read; None if there is none."""
    path = prepared_path(store, sound)
    try:
        with np.load(path) as kept:
            mip_levels, about = kept["copies"], kept["about"]
        # copy on write: kernels take writable arrays, and nothing is ever written
        audio = np.asarray(np.load(path.with_suffix(".npy"), mmap_mode="c"))
        os.utime(path)
    except (OSError, ValueError, KeyError):
        return None
    return Material(audio, mip_levels, float(about[0]), int(about[1]))


def prepare(root: Path, sound: Sound) -> None:
    """Prepare a stretch and keep it; the description is written last, so it is whole or absent.

    Raises
    ------
    BloomError
        If the recording cannot be read.
    """
    store = FileStore(root)
    material = load_material(sound, store.locate)
    path = prepared_path(store, sound)
    beside = path.with_name(f".{path.stem}.{os.getpid()}.npy")
    np.save(beside, material.audio)
    os.replace(beside, path.with_suffix(".npy"))
    about = np.array([material.seconds, material.octaves_up])
    described = beside.with_suffix(".npz")
    np.savez(described, copies=material.mip_levels, about=about)
    os.replace(described, path)
    _give_up_oldest(store)


def load_prepared(store: FileStore, sound: Sound) -> Material:
    """The prepared stretch, prepared now if it is not on disk; may raise a BloomError."""
    found = find_prepared(store, sound)
    if found is None:
        store.locate(sound)
        prepare(store.root, sound)
        found = find_prepared(store, sound)
    if found is None:
        raise SoundFileError("This recording could not be prepared: is the disk full?")
    return found


class StoredMaterials:
    """Materials for :func:`~innerbloom.core.engine.compile_program`, clips kept on disk."""

    def __init__(self, store: FileStore) -> None:
        self._store = store
        self._made = FileMaterials(store.locate)

    def clip(self, sound: Sound) -> Material:
        return load_prepared(self._store, sound)

    def noise(self, colour: str, sound: Sound | None) -> Material:
        return self._made.noise(colour, sound)

    def wavetable(self, shape: str, sound: Sound | None) -> Wavetable:
        return self._made.wavetable(shape, sound)

    def spectrum(self, sound: Sound, matching: Matching) -> PlayedSpectrum:
        return prepare_spectrum(SpectrumStore(self._store).make(sound).spectrum, matching)

    def segments(self, sound: Sound) -> NDArray[np.float64]:
        return self._made.segments(sound)

    def colour(self, sound: Sound) -> NDArray[np.float32]:
        return self._made.colour(sound)

    def contour(self, sound: Sound) -> NDArray[np.float64]:
        return self._made.contour(sound)


def table_of(root: Path, sound: Sound) -> Wavetable:
    """A wavetable on the shelf or among the stages, for a process of its own."""
    return StoredMaterials(FileStore(root)).wavetable("table", sound)


def segments_from(root: Path, sound: Sound) -> NDArray[np.float64]:
    """The segments of a sound on the shelf, for a process of its own."""
    return StoredMaterials(FileStore(root)).segments(sound)


def colour_from(root: Path, sound: Sound) -> NDArray[np.float32]:
    """The outlines of a sound on the shelf, for a process of its own."""
    return StoredMaterials(FileStore(root)).colour(sound)


def played_spectrum(root: Path, sound: Sound, matching: Matching) -> PlayedSpectrum:
    """A spectrum of a recording on the shelf, for a process of its own."""
    return StoredMaterials(FileStore(root)).spectrum(sound, matching)


def course_of(root: Path, sound: Sound) -> NDArray[np.float64]:
    """The course of a recording on the shelf, for a process of its own."""
    return StoredMaterials(FileStore(root)).contour(sound)


def _give_up_oldest(store: FileStore) -> None:
    kept = sorted(store.prepared.glob("*.npz"), key=lambda path: path.stat().st_mtime, reverse=True)
    total = 0
    for number, path in enumerate(kept):
        samples = path.with_suffix(".npy")
        total += samples.stat().st_size if samples.exists() else 0
        if number and total > MOST_BYTES:
            path.unlink(missing_ok=True)
            samples.unlink(missing_ok=True)
