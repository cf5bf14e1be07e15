"""Folders of drawn variations: a sound each, and an index of them."""

from __future__ import annotations

import json
import shutil
import uuid
from collections.abc import Iterable
from pathlib import Path

import numpy as np

from innerbloom.core.deliver.variation_set import Drawn, words_of
from innerbloom.core.deliver.variations import Draw, Variation
from innerbloom.core.engine import ENGINE_RATE
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.sound.files import read_blocks
from innerbloom.core.sound.peaks import outline
from innerbloom.core.sound.writing import write_sound
from innerbloom.store.files import FileStore

INDEX = "index.json"


class VariationFolders:
    """Where a project keeps what was drawn; what is not in a document any more can be made again."""

    def __init__(self, store: FileStore) -> None:
        self.root = store.root / "variations"

    def folder(self, made: str) -> Path:
        return self.root / made

    def sound(self, made: str, number: int) -> Path:
        """The sound of one; a BloomError where it is not there."""
        path = self.folder(made) / f"{number}.wav"
        if not path.is_file():
            raise BloomError("This variation is not on the disk any more: draw again.")
        return path

    def write(self, made: Iterable[Variation], document: Instrument) -> tuple[str, list[Drawn]]:
        """Keep all of a draw; gives its folder's name. Nothing is left where it is cut short."""
        name = uuid.uuid4().hex
        folder = self.folder(name)
        folder.mkdir(parents=True)
        drawn = []
        try:
            for one in made:
                blocks = iter([np.ascontiguousarray(one.sound)])
                path = folder / f"{one.draw.number}.wav"
                write_sound(path, blocks, ENGINE_RATE, 2, form="wav32f")
                drawn.append(_drawn(one, document))
            plain = [item.model_dump(mode="json") for item in drawn]
            (folder / INDEX).write_text(json.dumps(plain), "utf-8")
        except BaseException:
            shutil.rmtree(folder, ignore_errors=True)
            raise
        return name, drawn

    def read(self, made: str) -> list[Drawn]:
        """What was drawn; nothing where it was given up."""
        path = self.folder(made) / INDEX
        if not made or not path.is_file():
            return []
        return [Drawn.model_validate(one) for one in json.loads(path.read_text("utf-8"))]

    def variation(self, made: str, one: Drawn, gain_db: float) -> Variation:
        """One with its sound, at a gain."""
        gain = np.float32(10.0 ** (gain_db / 20.0))
        sound = np.concatenate(list(read_blocks(self.sound(made, one.number)))) * gain
        loudness = -np.inf if one.loudness is None else one.loudness + gain_db
        draw = Draw(one.number, one.key, one.velocity, one.seed, (), one.snapshot or None)
        return Variation(draw, sound.astype(np.float32), loudness, one.peak + gain_db, one.loop)


def _drawn(one: Variation, document: Instrument) -> Drawn:
    draw = one.draw
    return Drawn(
        number=draw.number, key=draw.key, velocity=draw.velocity, seed=draw.seed,
        words=words_of(draw, document), snapshot=draw.snapshot or "",
        state=next((s.name for s in document.snapshots if s.id == draw.snapshot), ""),
        seconds=round(len(one.sound) / ENGINE_RATE, 4), frames=len(one.sound),
        loudness=one.loudness if np.isfinite(one.loudness) else None, peak=one.peak,
        loop=one.loop, timbre=one.timbre, pairs=outline(one.sound),
    )  # fmt: skip
