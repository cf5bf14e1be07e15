"""Wavetables and spectra: as files that others read, and as how they are made."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.atomic import written_whole
from innerbloom.core.deliver.exporters.kind import Exporter
from innerbloom.core.deliver.exporters.subjects import SpectrumSubject, TableSubject
from innerbloom.core.materials.spectrum.files import SUFFIX, read_spectrum, write_spectrum
from innerbloom.core.materials.wavetable.document import parse_table
from innerbloom.core.materials.wavetable.files import write_table
from innerbloom.core.materials.wavetable.table import CYCLE
from innerbloom.core.sound.files import read_blocks


def _table(subject: TableSubject, target: Path) -> None:
    write_table(target, subject.table, subject.document.name)


def _frames(path: Path) -> NDArray[np.float32]:
    """Its frames, shape (frames, CYCLE)."""
    return np.concatenate(list(read_blocks(path)))[:, 0].reshape(-1, CYCLE)


def _recipe(subject: TableSubject, target: Path) -> None:
    with written_whole(target) as beside:
        plain = subject.document.model_dump(mode="json")
        beside.write_text(json.dumps(plain, indent=2) + "\n", "utf-8")


def _spectrum(subject: SpectrumSubject, target: Path) -> None:
    write_spectrum(target, subject.spectrum, subject.name)


TABLE_WAV = Exporter(
    "wavetable", "wavetable", "Save as WAV, frames end to end", f" {CYCLE}.wav", "audio/wav",
    _table, _frames,
)  # fmt: skip
TABLE_RECIPE = Exporter(
    "wavetable-recipe", "wavetable", "Save the recipe", ".json", "application/json", _recipe,
    lambda path: parse_table(path.read_text("utf-8")),
)  # fmt: skip
SPECTRUM_FILE = Exporter(
    "spectrum", "spectrum", "Save the spectrum as a file", SUFFIX, "application/zip", _spectrum,
    read_spectrum,
)  # fmt: skip
