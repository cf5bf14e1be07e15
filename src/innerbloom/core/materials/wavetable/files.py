"""Wavetables as WAV files that other programs can take in without asking.

The frames lie end to end, 32-bit float, mono. The file says how long they are three times: by a
`cue ` point at each frame and a `smpl` chunk whose root is the note of one frame a period and
whose loop is the first frame (RIFF MCI 1.0), and in words in LIST/INFO. The name ends in the
length. docs/wavetables.md describes the layout.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

from innerbloom.core.atomic import written_whole
from innerbloom.core.materials.wavetable.table import CYCLE, Table
from innerbloom.core.pitch_names import hz_to_note
from innerbloom.core.sound.loop import Loop
from innerbloom.core.sound.metadata import Origin
from innerbloom.core.sound.sampler import add_sampler
from innerbloom.core.sound.takes import add_markers
from innerbloom.core.sound.writing import write_sound

FILE_RATE = 48_000


def write_table(path: Path, table: Table, name: str, credit: Origin | None = None) -> None:
    """Write a table, complete or not at all.

    Parameters
    ----------
    credit : Origin, optional
        Where its sound came from; its notes are added to what the file says.
    """
    said = f"Wavetable: {CYCLE} samples a frame, {len(table)} frames."
    came = credit or Origin()
    origin = Origin(name, f"{said} {came.notes}".strip(), came.recordist, came.licence, came.date)
    samples = table.waves().reshape(-1, 1).astype(np.float32)
    with written_whole(path) as beside:
        write_sound(beside, [samples], FILE_RATE, 1, form="wav32f", origin=origin)
        add_markers(beside, [CYCLE * frame for frame in range(len(table))])
        note = hz_to_note(FILE_RATE / CYCLE)
        add_sampler(beside, FILE_RATE, note, Loop(0, CYCLE, "forward", stay=True))
