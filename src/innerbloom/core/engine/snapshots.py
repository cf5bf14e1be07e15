"""Snapshots while they sound: recalled as one, or blended wherever one stands on the map.

Standing somewhere sets controls as a hand would: they stay there until one moves on the map again.
Where a route moves one across it, controls follow at the borders of spans.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.parameters import engine_value
from innerbloom.core.engine.layout import Layout
from innerbloom.core.instrument.owners import WHOLE_ID, owners_of
from innerbloom.core.instrument.snapshot_map import SnapshotMap, map_of
from innerbloom.core.instrument.snapshots import MAP, whole_state


@dataclass(frozen=True)
class Settled:
    """Where some controls stand: columns of the row, and what they are set to."""

    columns: NDArray[np.int64]
    values: NDArray[np.float64]


@dataclass(frozen=True)
class SnapshotProgram:
    """All snapshots of an instrument.

    Attributes
    ----------
    states : dict of id to Settled
        Whole states; of what lies on the map, with where it lies.
    map : SnapshotMap or None
    columns : ndarray of int64
        What the map moves.
    moved : bool
        Whether routes move one across the map.
    """

    states: dict[str, Settled]
    map: SnapshotMap | None
    columns: NDArray[np.int64]
    moved: bool

    def blend(self, place: NDArray[np.float64]) -> Settled | None:
        """Controls at a place of the map, in %; None where nothing is to be blended."""
        return None if self.map is None else Settled(self.columns, self.map.at(place / 100.0))


def compile_snapshots(document: Any, layout: Layout) -> SnapshotProgram:
    """The snapshots of a document, as the engine goes into them."""
    found = map_of(document)
    keys = () if found is None else found.keys
    moved = any((one.target, one.parameter) in _MAP_KEYS for one in document.routes)
    return SnapshotProgram(
        {one.id: _settled(document, one, layout) for one in document.snapshots},
        found,
        np.array([layout.column(*key) for key in keys], np.int64),
        moved and found is not None,
    )


_MAP_KEYS = tuple((WHOLE_ID, one) for one in MAP)


def _settled(document: Any, snapshot: Any, layout: Layout) -> Settled:
    columns, values = [], []
    owners = owners_of(document)
    for owner, said in whole_state(document, snapshot).items():
        for id_, value in said.items():
            declared = owners[owner].parameter(id_)
            assert declared is not None
            columns.append(layout.column(owner, id_))
            values.append(engine_value(declared, value))
    for key, share in zip(_MAP_KEYS, snapshot.place or (), strict=False):
        columns.append(layout.column(*key))
        values.append(100.0 * share)
    return Settled(np.array(columns, np.int64), np.array(values, np.float64))


class Standing:
    """Where on the map one stands.

    Parameters
    ----------
    program : SnapshotProgram
    layout : Layout
    before : Standing or None
        That of the section from which this one goes on.

    Attributes
    ----------
    columns : ndarray of int64, shape (2,)
        Where the place lies in the row.
    """

    def __init__(
        self, program: SnapshotProgram, layout: Layout, before: Standing | None = None
    ) -> None:
        self.program = program
        self.columns = np.array([layout.column(*key) for key in _MAP_KEYS], np.int64)
        self._added: NDArray[np.float64] = np.zeros(2) if before is None else before._added
        self._blended = layout.row[self.columns].copy()
        self.place = self._blended.copy()

    def note(self, base: NDArray[np.float64], led: NDArray[np.float64]) -> None:
        """How far routes carry one, from the last rows of a span."""
        self._added = led[self.columns] - base[self.columns]

    def moved(self, wanted: NDArray[np.float64]) -> Settled | None:
        """Controls where one stands now; None where one stands as before."""
        self.place = np.clip(wanted[self.columns] + self._added, 0.0, 100.0)
        if np.array_equal(self.place, self._blended):
            return None
        self._blended = self.place
        return self.program.blend(self.place)

    def is_at(self, wanted: NDArray[np.float64]) -> None:
        """Controls stand already as they are meant to here."""
        self._blended = self.place = np.clip(wanted[self.columns] + self._added, 0.0, 100.0)
