"""Finding sounds on the shelf by what was measured of them, and putting them in order."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from innerbloom.core.analysis.likeness import likeness_words
from innerbloom.core.analysis.timbre import likeness, timbre_distances
from innerbloom.core.analysis.tonalness import character
from innerbloom.core.pitch_names import hz_to_note
from innerbloom.store.shelf import Line

_COMPARED = 200
"""Sounds that are compared in words; further down the list nobody reads them."""

Order = Literal["added", "name", "length", "root", "loudness", "peak", "tonal"]


class Wanted(BaseModel):
    """What to look for; what is left out does not matter."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    q: str = Field(default="", max_length=200)
    kind: Literal["", "recording", "clip", "wavetable", "spectrum"] = ""
    character: Literal["", "tonal", "partly tonal", "noisy"] = ""
    pitched: Literal["", "yes", "no"] = ""
    root: int | None = Field(default=None, ge=0, le=11, description="Pitch class, C is 0.")
    shortest: float | None = Field(default=None, ge=0, description="Seconds.")
    longest: float | None = Field(default=None, ge=0, description="Seconds.")
    quietest: float | None = Field(default=None, ge=-120, le=20, description="LUFS.")
    loudest: float | None = Field(default=None, ge=-120, le=20, description="LUFS.")
    tag: str = Field(default="", max_length=40)
    place: str = Field(default="", max_length=200)
    collection: str = Field(default="", max_length=80)
    like: int | None = Field(default=None, description="Id of a sound: the most alike first.")
    order: Order = "added"
    descending: bool = False


class Alike(BaseModel):
    """How a sound is like the one that others are compared with.

    Attributes
    ----------
    likeness : float
        1 for the same sound, 0 for nothing in common.
    words : str
        "as bright, noisier, longer".
    """

    id: int
    likeness: float
    words: str


def found(rows: list[Line], wanted: Wanted, tuning: float) -> list[Line]:
    """The rows that are wanted, in the order that is wanted."""
    kept = [row for row in rows if all(test(row) for test in _tests(wanted, tuning))]
    model = _model(rows, wanted)
    if model is not None:
        far = timbre_distances(model.timbre, [row.timbre for row in kept])
        # the sound itself first, also before another that is the same
        far[[i for i, row in enumerate(kept) if row.id == model.id]] = -1.0
        return [kept[i] for i in np.argsort(far, kind="stable")]
    return sorted(kept, key=_ORDERS[wanted.order], reverse=wanted.descending)


def compared(rows: list[Line], kept: list[Line], wanted: Wanted) -> list[Alike]:
    """Figures and words for those of the kept rows that are the most alike."""
    model = _model(rows, wanted)
    if model is None:
        return []
    nearest = [row for row in kept if row.id != model.id][:_COMPARED]
    far = timbre_distances(model.timbre, [row.timbre for row in nearest])
    return [
        Alike(
            id=row.id,
            likeness=round(likeness(float(distance)), 3),
            words=likeness_words(
                (model.timbre, row.timbre),
                (model.tonalness, row.tonalness),
                (model.duration_s, row.duration_s),
            ),
        )
        for row, distance in zip(nearest, far, strict=True)
    ]


def _model(rows: list[Line], wanted: Wanted) -> Line | None:
    return next((row for row in rows if row.id == wanted.like), None)


def _tests(wanted: Wanted, tuning: float) -> list[Callable[[Line], bool]]:
    tests: list[Callable[[Line], bool]] = []
    if wanted.kind:
        tests.append(lambda row: row.kind == wanted.kind)
    if wanted.character:
        tests.append(lambda row: character(row.tonalness) == wanted.character)
    if wanted.pitched:
        tests.append(lambda row: (row.root_hz is not None) == (wanted.pitched == "yes"))
    if wanted.root is not None:
        tests.append(lambda row: _pitch_class(row, tuning) == wanted.root)
    if wanted.tag:
        tests.append(lambda row: wanted.tag in row.tags)
    if wanted.place:
        tests.append(lambda row: wanted.place == row.place)
    if wanted.collection:
        tests.append(lambda row: wanted.collection == row.collection)
    tests += _between("duration_s", wanted.shortest, wanted.longest)
    tests += _between("loudness", wanted.quietest, wanted.loudest)
    return tests


def _between(name: str, low: float | None, high: float | None) -> list[Callable[[Line], bool]]:
    if low is None and high is None:
        return []
    floor, ceiling = low if low is not None else -1e9, high if high is not None else 1e9

    def inside(row: Line) -> bool:
        value = getattr(row, name)
        return value is not None and floor <= value <= ceiling

    return [inside]


def _pitch_class(row: Line, tuning: float) -> int | None:
    hz = row.root_hz
    return None if hz is None else round(hz_to_note(hz, tuning)) % 12


def _measured(name: str, missing: float) -> Callable[[Line], Any]:
    return lambda row: missing if getattr(row, name) is None else getattr(row, name)


_ORDERS: dict[Order, Callable[[Line], Any]] = {
    "added": lambda row: row.id,
    "name": lambda row: row.name.casefold(),
    "length": _measured("duration_s", 0.0),
    "root": _measured("root_hz", 1e9),
    "loudness": _measured("loudness", -1e9),
    "peak": _measured("peak_dbfs", -1e9),
    "tonal": _measured("tonalness", 0.0),
}
