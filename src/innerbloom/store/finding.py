"""Finding sounds on the shelf by what was measured of them, and putting them in order."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from innerbloom.core.analysis.likeness import likeness_words
from innerbloom.core.analysis.timbre import likeness, timbre_distances
from innerbloom.store.columns import Columns, Positions
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


def found(columns: Columns, among: Positions, wanted: Wanted) -> Positions:
    """What is wanted of some lines, in the order that is wanted.

    Parameters
    ----------
    among : Positions
        Ascending; what was found by words, say.
    """
    kept = among[_fits(columns, wanted)[among]]
    model = _model(columns, wanted)
    if model is None:
        rank = columns.ranks(wanted.order, _ORDERS[wanted.order])[kept]
        return kept[np.argsort(-rank if wanted.descending else rank, kind="stable")]
    far = timbre_distances(model.timbre, columns.timbres[kept])
    # the sound itself first, also before another that is the same
    far[columns.ids[kept] == model.id] = -1.0
    return kept[np.argsort(far, kind="stable")]


def compared(columns: Columns, kept: Positions, wanted: Wanted) -> list[Alike]:
    """Figures and words for those of the kept lines that are the most alike."""
    model = _model(columns, wanted)
    if model is None:
        return []
    nearest = kept[columns.ids[kept] != model.id][:_COMPARED]
    far = timbre_distances(model.timbre, columns.timbres[nearest])
    rows = [columns.lines[place] for place in nearest.tolist()]
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
        for row, distance in zip(rows, far, strict=True)
    ]


def _model(columns: Columns, wanted: Wanted) -> Line | None:
    place = None if wanted.like is None else columns.position(wanted.like)
    return None if place is None else columns.lines[place]


def _fits(columns: Columns, wanted: Wanted) -> NDArray[np.bool_]:
    """Which lines are wanted, shape (n,)."""
    fits = np.ones(len(columns), bool)
    for name in ("kind", "place", "collection"):
        asked = getattr(wanted, name)
        if asked:
            fits &= np.array([getattr(row, name) == asked for row in columns.lines], bool)
    if wanted.tag:
        fits &= np.array([wanted.tag in row.tags for row in columns.lines], bool)
    if wanted.character:
        fits &= columns.with_word(wanted.character)
    if wanted.pitched:
        fits &= np.isfinite(columns.notes) == (wanted.pitched == "yes")
    if wanted.root is not None:
        fits &= columns.notes % 12 == wanted.root
    fits &= _between(columns.figures("duration_s"), wanted.shortest, wanted.longest)
    fits &= _between(columns.figures("loudness"), wanted.quietest, wanted.loudest)
    return fits


def _between(
    values: NDArray[np.float64], low: float | None, high: float | None
) -> NDArray[np.bool_] | bool:
    if low is None and high is None:
        return True
    # what was not measured lies between nothing
    above = values >= (-np.inf if low is None else low)
    return above & (values <= (np.inf if high is None else high))


def _measured(name: str, missing: float) -> Callable[[Columns], NDArray[np.float64]]:
    return lambda columns: np.nan_to_num(columns.figures(name), nan=missing)


_ORDERS: dict[Order, Callable[[Columns], Any]] = {
    "added": lambda columns: columns.ids,
    "name": lambda columns: columns.folded_names,
    "length": _measured("duration_s", 0.0),
    "root": _measured("root_hz", 1e9),
    "loudness": _measured("loudness", -1e9),
    "peak": _measured("peak_dbfs", -1e9),
    "tonal": _measured("tonalness", 0.0),
}
