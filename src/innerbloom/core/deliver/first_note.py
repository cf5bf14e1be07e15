"""The first note of a recording: it is grown into an instrument and played at its root."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.analysis.examine import Progress, examine
from innerbloom.core.analysis.opening import opening_of
from innerbloom.core.deliver.sources import beside, file_materials
from innerbloom.core.digest import file_digest
from innerbloom.core.engine import ENGINE_RATE, Engine, Program, compile_program
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.instrument.grow import bring_to_life, grow_cloud
from innerbloom.core.performance.events import Event
from innerbloom.core.pitch_names import hz_to_note


def grow_file(path: Path, progress: Progress | None = None) -> Instrument:
    """The instrument that a recording grows into, naming the file by path and by content.

    ``progress`` is told how far it is, 0..1, and gives False to stop it.

    Raises
    ------
    SoundFileError
        If the file cannot be read.
    """
    found = examine(path, progress)
    seconds = found.info.seconds
    document = grow_cloud(
        path.stem,
        duration_s=seconds,
        root=None if found.root_hz is None else hz_to_note(found.root_hz),
        loudness_lufs=found.lufs,
        recording=file_digest(path),
        path=path.name,
    )
    return bring_to_life(document, opening_of(path), seconds)


def program_of(document: Instrument, path: Path) -> Program:
    """An instrument of :func:`grow_file`, ready to be played."""
    return compile_program(document, file_materials(beside(path.parent)))


def first_note(program: Program, document: Instrument, seconds: float) -> NDArray[np.float32]:
    """A note held at the root, or at C4 where there is none; shape (frames, 2) at 48 kHz."""
    root = document.layers[0].sound.root
    key = 60.0 if root is None else float(round(root))
    return Engine(program).render(round(seconds * ENGINE_RATE), [Event("on", 1, key, 0.8)])
