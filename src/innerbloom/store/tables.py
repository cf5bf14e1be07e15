"""Wavetables made from their recipes, kept on disk under what they were made from."""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
import soundfile as sf

from innerbloom.core.deliver.sources import read_sound
from innerbloom.core.materials.wavetable.document import FromRecording, TableDocument, parse_table
from innerbloom.core.materials.wavetable.files import write_table
from innerbloom.core.materials.wavetable.make import Raw, make_raw
from innerbloom.core.materials.wavetable.retrace import Retraced
from innerbloom.core.materials.wavetable.shape import shaped
from innerbloom.core.materials.wavetable.table import Table
from innerbloom.store.files import STAGE_SOUND, FileStore

_TABLE = "table.npz"
_VERSION = 2
"""Raised when the same recipe makes another table."""


@dataclass(frozen=True)
class Made:
    """A wavetable at hand.

    Attributes
    ----------
    key : str
        Name of the stage that holds its sound, as a recording's hash.
    table : Table
    by : str
        See :class:`~innerbloom.core.materials.wavetable.make.Raw`.
    retraced : Retraced or None
    swept : str or None
        Name of the stage that sweeps it as its recording went, to listen to both.
    """

    key: str
    table: Table
    by: str
    retraced: Retraced | None
    swept: str | None


class TableStore:
    """Makes wavetables and keeps them among the stages.

    Parameters
    ----------
    files : FileStore
    tuning : float
        Hz of A4.
    """

    def __init__(self, files: FileStore, tuning: float) -> None:
        self._files, self._tuning = files, tuning

    def key(self, document: TableDocument) -> str:
        """What a recipe's table is kept under: all that decides how it sounds."""
        said = document.model_dump(mode="json", include={"source", "steps"})
        plain = json.dumps([_VERSION, self._tuning, said], sort_keys=True)
        return hashlib.sha256(plain.encode()).hexdigest()

    def is_quick(self, document: TableDocument) -> bool:
        """Whether it can be made while someone waits."""
        raw = document.model_copy(update={"steps": []})
        taken = isinstance(document.source, FromRecording)
        return not taken or self.find(raw) is not None

    def find(self, document: TableDocument) -> Made | None:
        """A table that was made before; None where it is not at hand."""
        return self.with_key(self.key(document))

    def with_key(self, key: str) -> Made | None:
        """A table by its key; None where it is not at hand."""
        folder = self._files.stages.find(key, STAGE_SOUND, _TABLE)
        if folder is None:
            return None
        try:
            with np.load(folder / _TABLE, allow_pickle=False) as kept:
                about: dict[str, Any] = json.loads(str(kept["about"]))
                seconds = kept["seconds"] if about["timed"] else None
                table = Table(kept["spectra"], seconds)
        except (OSError, ValueError, KeyError):
            return None
        told = Retraced(**about["retraced"]) if about["retraced"] else None
        return Made(key, table, about["by"], told, about["swept"])

    def make(self, document: TableDocument) -> Made:
        """Make a table, from its frames before any step where these are at hand.

        Raises
        ------
        BloomError
            If nothing comes of the recipe, in one sentence.
        """
        present = self.find(document)
        if present is not None:
            return present
        if document.steps:
            raw = self.make(document.model_copy(update={"steps": []}))
            made = shaped(raw.table, document.steps)
            return self._keep(document, made, raw.by, raw.retraced, raw.swept)
        found = make_raw(
            document, lambda sound: read_sound(sound, self._files.locate), self._tuning
        )
        return self._keep(
            document, found.table, found.by, found.retraced, self._sweep(document, found)
        )

    def _keep(
        self, document: TableDocument, table: Table, by: str, told: Retraced | None,
        swept: str | None,
    ) -> Made:  # fmt: skip
        key = self.key(document)
        about = {
            "by": by, "swept": swept, "timed": table.seconds is not None,
            "retraced": None if told is None else asdict(told),
        }  # fmt: skip
        with self._files.stages.writing(key) as folder:
            write_table(folder / STAGE_SOUND, table, document.name)
            np.savez(
                folder / _TABLE, spectra=table.spectra, about=np.array(json.dumps(about)),
                seconds=np.zeros(0) if table.seconds is None else table.seconds,
            )  # fmt: skip
        return Made(key, table, by, told, swept)

    def _sweep(self, document: TableDocument, found: Raw) -> str | None:
        if found.swept is None:
            return None
        key = hashlib.sha256(f"swept {self.key(document)}".encode()).hexdigest()
        samples, rate = found.swept
        with self._files.stages.writing(key) as folder:
            sf.write(folder / STAGE_SOUND, samples, round(rate), subtype="FLOAT", format="WAV")
        return key


def table_of(lineage: dict[str, Any]) -> TableDocument | None:
    """The recipe of a wavetable on the shelf; None for other sounds."""
    plain = lineage.get("table")
    return None if plain is None else parse_table(plain)
