"""The first note of a recording: it is grown into an instrument and played at its root."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.analysis.evolution import side_db
from innerbloom.core.analysis.examine import Progress, examine
from innerbloom.core.analysis.opening import opening_of
from innerbloom.core.compiling import is_warm
from innerbloom.core.deliver.sources import beside, file_materials
from innerbloom.core.digest import file_digest
from innerbloom.core.engine import ENGINE_RATE, Engine, Program, compile_program
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.instrument.grow import (
    MOST_GAIN_DB,
    WIDEST_DB,
    bring_to_life,
    grow_cloud,
    narrowed,
    with_breath_evened,
    with_breath_held,
)
from innerbloom.core.materials.protocol import Materials
from innerbloom.core.performance.events import Event
from innerbloom.core.pitch_names import hz_to_note
from innerbloom.core.sound.levels import loudness

FIRST_NOTE_LUFS = -24.0
"""Loudness of a note of a grown instrument at its root."""

_NOTE_S, _BEGUN_S = 1.4, 0.4
_SILENT_LUFS = -60.0


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
    alive = bring_to_life(document, opening_of(path), seconds)
    return levelled(alive, file_materials(beside(path.parent)))


def levelled(document: Instrument, materials: Materials) -> Instrument:
    """A grown instrument whose note at the root is at :data:`FIRST_NOTE_LUFS`.

    It is played, measured and set right: how loud a cloud is follows from how alike its grains are
    and what its filter leaves of them, of which growing only has an estimate. It is heard with the
    filter as closed as it comes, as it is, and as open; what that makes of the level is taken back.
    One whose sides would be lost in one channel is narrowed first. While the engine is not compiled
    yet, the instrument is given back as it is.
    """
    if not is_warm():
        return document
    # one after another: what threads gain they lose by waiting for each other between blocks
    notes = [_note(with_breath_held(document, at), materials, at + 2) for at in (-1, 0, 1)]
    heard = [loudness(note, ENGINE_RATE) for note in notes]
    if min(heard) < _SILENT_LUFS:
        return document
    sides = side_db(np.concatenate(notes))
    if sides > WIDEST_DB and not document.layers[0].effects:
        return levelled(narrowed(document, sides), materials)
    closed, _, opened = heard
    made = with_breath_evened(document, 0.5 * (opened - closed))
    sound = made.layers[0].sounds[0]
    # it is as closed as that only now and then
    usual = float(np.average(heard, weights=(1, 2, 2)))
    gain = sound.gain_db + FIRST_NOTE_LUFS - usual
    sound.gain_db = round(min(MOST_GAIN_DB, max(-MOST_GAIN_DB, gain)), 2)
    return made


def _note(document: Instrument, materials: Materials, seed: int) -> NDArray[np.float32]:
    """A note once it has begun, with other chances for each seed."""
    other = document.model_copy(deep=True)
    other.settings.seed = seed  # type: ignore[attr-defined]
    note = first_note(compile_program(other, materials), other, _NOTE_S)
    return note[round(_BEGUN_S * ENGINE_RATE) :]


def program_of(document: Instrument, path: Path) -> Program:
    """An instrument of :func:`grow_file`, ready to be played."""
    return compile_program(document, file_materials(beside(path.parent)))


def first_note(program: Program, document: Instrument, seconds: float) -> NDArray[np.float32]:
    """A note held at the root, or at C4 where there is none; shape (frames, 2) at 48 kHz."""
    root = document.layers[0].sound.root
    key = 60.0 if root is None else float(round(root))
    return Engine(program).render(round(seconds * ENGINE_RATE), [Event("on", 1, key, 0.8)])
