"""Folders of swap sheets: a sound and an instrument for each recording, and an index of them."""

from __future__ import annotations

import json
import uuid
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict

from innerbloom.core.atomic import folder_written_whole
from innerbloom.core.deliver.swap import Candidate, Character, Holds
from innerbloom.core.engine import ENGINE_RATE
from innerbloom.core.errors import BloomError
from innerbloom.core.sound.peaks import outline
from innerbloom.core.sound.writing import write_sound
from innerbloom.store.files import FileStore

INDEX = "index.json"


class SwapRow(BaseModel):
    """One recording of a sheet; number 0 is the instrument as it is.

    Attributes
    ----------
    digest : str
        Of the recording; empty for the instrument's own.
    timbre, envelope, movement, together : float
        How far the character holds, 0..1.
    loudness : float or None
        LUFS; None for silence.
    pairs : list of float
        Lowest and highest sample of each of a hundred stretches, of its own peak.
    """

    model_config = ConfigDict(extra="forbid")

    number: int
    name: str
    digest: str = ""
    timbre: float
    envelope: float
    movement: float
    together: float
    seconds: float
    loudness: float | None
    pairs: list[float]


class SwapSheet(BaseModel):
    """A sheet: its instrument, what was played, and the recordings, best first.

    Attributes
    ----------
    instrument : int
    problems : list of str
        What could not be tried, a sentence each.
    """

    model_config = ConfigDict(extra="forbid")

    instrument: int
    name: str
    key: float
    held: float
    rows: list[SwapRow]
    problems: list[str]


Entry = tuple[Candidate | None, dict[str, Any], Character, Holds]
"""A recording, the instrument over it, how that sounds, and how far the character holds."""


class SwapFolders:
    """Where a project keeps its swap sheets; the same recordings make them again."""

    def __init__(self, store: FileStore) -> None:
        self.root = store.root / "swaps"

    def sound(self, sheet: str, number: int) -> Path:
        """The sound of a row; a BloomError where it is not there."""
        return self._path(sheet, f"{number}.wav")

    def instrument(self, sheet: str, number: int) -> dict[str, Any]:
        """The instrument of a row, as plain data; a BloomError where it is not there."""
        found: dict[str, Any] = json.loads(self._path(sheet, f"{number}.json").read_text("utf-8"))
        return found

    def read(self, sheet: str) -> SwapSheet:
        """A sheet; a BloomError where it is not there."""
        return SwapSheet.model_validate_json(self._path(sheet, INDEX).read_bytes())

    def newest(self, instrument: int) -> str | None:
        """The sheet of an instrument that was made last."""
        folders = [path for path in self.root.glob("*") if (path / INDEX).is_file()]
        for folder in sorted(folders, key=lambda path: path.stat().st_mtime, reverse=True):
            if self.read(folder.name).instrument == instrument:
                return folder.name
        return None

    def _path(self, sheet: str, name: str) -> Path:
        path = self.root / sheet / name
        if not sheet.isalnum() or not path.is_file():
            raise BloomError("This swap sheet is not on the disk any more: make it again.")
        return path

    def write(
        self, instrument: int, name: str, played: tuple[float, float], entries: Iterable[Entry],
        problems: list[str],
    ) -> str:  # fmt: skip
        """Keep a sheet, in the order given; gives its folder's name.

        Parameters
        ----------
        played : (key, seconds held)
        """
        sheet = uuid.uuid4().hex
        self.root.mkdir(exist_ok=True)
        rows = []
        with folder_written_whole(self.root / sheet) as folder:
            for number, entry in enumerate(entries):
                rows.append(_kept(number, entry, folder, name))
            made = SwapSheet(instrument=instrument, name=name, key=played[0], held=played[1],
                             rows=rows, problems=problems)  # fmt: skip
            (folder / INDEX).write_text(made.model_dump_json(), "utf-8")
        return sheet


def _kept(number: int, entry: Entry, folder: Path, name: str) -> SwapRow:
    candidate, document, found, held = entry
    (folder / f"{number}.json").write_text(json.dumps(document), "utf-8")
    sound = np.ascontiguousarray(found.sound)
    write_sound(folder / f"{number}.wav", iter([sound]), ENGINE_RATE, 2, form="wav32f")
    return SwapRow(
        number=number, name=name if candidate is None else candidate.name,
        digest="" if candidate is None else candidate.digest,
        timbre=round(held.timbre, 3), envelope=round(held.envelope, 3),
        movement=round(held.movement, 3), together=round(held.together, 3),
        seconds=round(len(sound) / ENGINE_RATE, 3), pairs=outline(sound),
        loudness=round(found.loudness, 2) if np.isfinite(found.loudness) else None,
    )  # fmt: skip
