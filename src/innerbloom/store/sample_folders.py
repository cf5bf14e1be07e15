"""Folders of sampled notes: a sound each, one for its release, and an index of them."""

from __future__ import annotations

import shutil
import uuid
from collections.abc import Iterable
from pathlib import Path

import numpy as np

from innerbloom.core.atomic import folder_written_whole
from innerbloom.core.declare.parameters import Settings
from innerbloom.core.deliver.samples.sampled import Sampled, SampledSet, nothing_sampled, told
from innerbloom.core.deliver.samples.sampling import Sample
from innerbloom.core.errors import BloomError
from innerbloom.core.sound.writing import write_sound
from innerbloom.store.files import FileStore

INDEX = "index.json"
Curves = list[list[tuple[int, float]]]


class SampleFolders:
    """Where a project keeps what was sampled; the same settings sample it again."""

    def __init__(self, store: FileStore) -> None:
        self.root = store.root / "samples"

    def folder(self, made: str) -> Path:
        return self.root / made

    def sound(self, made: str, number: int, released: bool = False) -> Path:
        """The sound of a note, or of its release; a BloomError where it is not there."""
        path = self.folder(made) / f"{number}{'r' if released else ''}.wav"
        if not path.is_file():
            raise BloomError("This sample is not on the disk any more: sample again.")
        return path

    def write(
        self,
        made: Iterable[Sample | None],
        curves: Curves,
        settings: Settings,
        recordings: list[str],
    ) -> tuple[str, SampledSet]:
        """Keep all notes, in the order of their places; gives the folder's name. Nothing is left where it is
        cut short.

        Parameters
        ----------
        made : iterable of Sample or None
            None for a note that is silent.
        """
        name = uuid.uuid4().hex
        self.root.mkdir(exist_ok=True)
        notes: list[Sampled] = []
        with folder_written_whole(self.folder(name)) as folder:
            for one in made:
                if one is None:
                    continue
                number = len(notes) + 1
                _write(one.sound, one.rate, folder / f"{number}.wav")
                if one.release is not None:
                    _write(one.release, one.rate, folder / f"{number}r.wav")
                notes.append(told(number, one))
            if not notes:
                raise BloomError("All keys are silent: choose others, or look at the levels.")
            found = SampledSet(notes=notes, curves=curves, settings=settings, recordings=recordings)
            (folder / INDEX).write_text(found.model_dump_json(), "utf-8")
        return name, found

    def read(self, made: str) -> SampledSet:
        """What was sampled; nothing where it was given up."""
        path = self.folder(made) / INDEX
        if not made or not path.is_file():
            return nothing_sampled()
        return SampledSet.model_validate_json(path.read_bytes())

    def remove(self, made: str) -> None:
        shutil.rmtree(self.folder(made), ignore_errors=True)


def _write(sound: np.ndarray, rate: int, path: Path) -> None:  # type: ignore[type-arg]
    write_sound(path, iter([np.ascontiguousarray(sound)]), rate, 2, form="wav32f")
