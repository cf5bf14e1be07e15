"""One row of values: where the settings of every owner lie in it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.parameters import (
    Declared,
    changes_at_once,
    settings_dtype,
    settings_row,
)
from innerbloom.core.instrument.owners import WHOLE_ID, Owner, owners_of

Key = tuple[str, str]
"""Id of an owner, and of its parameter."""


@dataclass(frozen=True)
class Layout:
    """The row of an instrument.

    Attributes
    ----------
    owners : dict of id to Owner
        In the order of the row: the instrument first, what only the mixer reads last.
    starts : dict of id to int
        Where the settings of each begin.
    row : ndarray of float64
        What everything is set to, choices as the place of their word.
    stepped : ndarray of bool
        Which of them change at once.
    of_voices : int
        How many, from the first on, may differ from voice to voice.
    types : dict of id to dtype
        By which the settings of each are read by name.
    """

    owners: dict[str, Owner]
    starts: dict[str, int]
    row: NDArray[np.float64]
    stepped: NDArray[np.bool_]
    of_voices: int
    types: dict[str, np.dtype[Any]]

    def declared(self, owner: str, parameter: str) -> Declared:
        """A parameter; KeyError if there is no such owner or parameter."""
        found = self.owners[owner].parameter(parameter)
        if found is None:
            raise KeyError(parameter)
        return found

    @cached_property
    def _columns(self) -> dict[Key, int]:
        return {
            (one.id, declared.id): self.starts[one.id] + number
            for one in self.owners.values()
            for number, declared in enumerate(one.declared)
        }

    def column(self, owner: str, parameter: str) -> int:
        """Where a value lies; KeyError if there is none."""
        return self._columns[owner, parameter]

    def has(self, owner: str, parameter: str) -> bool:
        """Whether there is such an owner, and such a parameter of it."""
        return (owner, parameter) in self._columns

    def kept(self, owner: str, before: Layout) -> bool:
        """Whether an owner was there before with the same parameters."""
        was = before.owners.get(owner)
        return was is not None and was.declared == self.owners[owner].declared

    def view(
        self, owner: str, values: NDArray[np.float64], of_type: np.dtype[Any] | None = None
    ) -> NDArray[Any]:
        """The settings of an owner by name, in rows of all, which are contiguous: the last axis becomes
        records.

        ``of_type`` holds the first of its parameters, where not all are wanted.
        """
        found = self.types[owner] if of_type is None else of_type
        at = self.starts[owner] * values.itemsize
        # a view of another type looks at each of its fields, which is most of what an edit would take
        return np.ndarray(values.shape[:-1], found, values, at, values.strides[:-1])


def lay_out(document: Any) -> Layout:
    """The row of a document."""
    owners = owners_of(document)
    starts, rows, at, of_voices = {}, [], 0, 0
    for one in owners.values():
        starts[one.id] = at
        rows.append(settings_row(one.settings, one.declared))
        at += len(one.declared)
        if one.role not in ("send", "bus", "effect"):
            of_voices = at
    stepped = [changes_at_once(d) for one in owners.values() for d in one.declared]
    assert starts[WHOLE_ID] == 0
    types = {one.id: settings_dtype(one.declared) for one in owners.values()}
    row = np.concatenate(rows)
    return Layout(owners, starts, row, np.array(stepped, np.bool_), of_voices, types)
