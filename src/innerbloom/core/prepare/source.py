"""A sound file as the source of a recipe, and a clip as a sound file."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.atomic import written_whole
from innerbloom.core.prepare.clip import Clip
from innerbloom.core.prepare.lineage import Lineage, add_lineage
from innerbloom.core.sound.files import fold_down, read_blocks, sound_info
from innerbloom.core.sound.metadata import Origin
from innerbloom.core.sound.sampler import mark_sound
from innerbloom.core.sound.writing import Format, refuse_clipping, write_sound

_BLOCK = 1 << 16


class FileSource:
    """Reads stretches of a file; more than two channels are folded down.

    Raises
    ------
    SoundFileError
        If the file cannot be read.
    """

    def __init__(self, path: Path) -> None:
        info = sound_info(path)
        self.path = path
        self.rate, self.frames = info.rate, info.frames

    def read(self, first: int, count: int) -> NDArray[np.float32]:
        """Frames of shape (count or fewer, 1 or 2)."""
        blocks = list(read_blocks(self.path, start=first, frames=count))
        if not blocks:
            return np.zeros((0, 1), np.float32)
        return fold_down(np.concatenate(blocks))


def write_clip(
    path: Path,
    clip: Clip,
    *,
    form: Format = "wav32f",
    origin: Origin | None = None,
    root: float | None = None,
    lineage: Lineage | None = None,
) -> None:
    """Write a clip with its loop and root as a `smpl` chunk, where the format has one.

    Parameters
    ----------
    root : float or None
        MIDI note; None for no clear pitch.
    lineage : Lineage or None
        How it was made, for formats that can tell it.

    Raises
    ------
    SoundFileError
        If it cannot be written, or peaks above full scale and the format cannot hold that.
    """
    channels = clip.samples.shape[1]
    history = lineage.coding_history(form, clip.rate, channels) if lineage else ""
    refuse_clipping(clip.samples, path.stem, form)
    pieces = (clip.samples[at : at + _BLOCK] for at in range(0, clip.frames, _BLOCK))
    with written_whole(path) as beside:
        write_sound(beside, pieces, clip.rate, channels, form=form, origin=origin, history=history)
        mark_sound(beside, clip.rate, root=root, loop=clip.loop)
        if lineage is not None:
            add_lineage(beside, lineage, root)
