"""The lines of the shelf by column, as arrays: what finding and putting in order is quick on."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.analysis.timbre import timbre_rows
from innerbloom.core.analysis.tonalness import character
from innerbloom.core.pitch_names import hz_to_note
from innerbloom.store.measured_words import words_of

if TYPE_CHECKING:
    from innerbloom.store.shelf import Line

Positions = NDArray[np.intp]
"""Places of lines in the shelf's order, shape (m,)."""


class Columns:
    """Columns of so many lines; each is made when it is first asked for.

    Parameters
    ----------
    lines : sequence
        In the order of their ids.
    tuning : float
        Hz of A4, by which roots have names.
    """

    def __init__(self, lines: Sequence[Line], tuning: float) -> None:
        self.lines, self.tuning = lines, tuning
        self._figures: dict[str, NDArray[np.float64]] = {}
        self._ranks: dict[str, NDArray[np.intp]] = {}

    def __len__(self) -> int:
        return len(self.lines)

    @cached_property
    def ids(self) -> NDArray[np.int64]:
        """Shape (n,), ascending."""
        return np.array([one.id for one in self.lines], np.int64)

    def positions(self, ids: Iterable[int]) -> Positions:
        """Where sounds of such ids stand, in their order; those that are not on the shelf are left out."""
        given = np.fromiter(ids, np.int64)
        return np.flatnonzero(np.isin(self.ids, given))

    def position(self, id_: int) -> int | None:
        """Where the sound of an id stands, if it is on the shelf."""
        place = int(np.searchsorted(self.ids, id_))
        return place if place < len(self) and self.ids[place] == id_ else None

    def figures(self, name: str) -> NDArray[np.float64]:
        """A field that holds numbers, shape (n,); nan where nothing was measured."""
        if name not in self._figures:
            every = [getattr(one, name) for one in self.lines]
            self._figures[name] = np.array(every, np.float64)
        return self._figures[name]

    @cached_property
    def notes(self) -> NDArray[np.float64]:
        """Nearest MIDI notes of the roots, shape (n,); nan for the unpitched."""
        every = [
            np.nan if one.root_hz is None else round(hz_to_note(one.root_hz, self.tuning))
            for one in self.lines
        ]
        return np.array(every, np.float64)

    @cached_property
    def folded_names(self) -> list[str]:
        """Names, upper and lower case being the same."""
        return [one.name.casefold() for one in self.lines]

    @cached_property
    def timbres(self) -> NDArray[np.float32]:
        """Shape (n, SIZE); nan where a sound has no timbre."""
        return timbre_rows([one.timbre for one in self.lines])

    @cached_property
    def _measured_words(self) -> tuple[NDArray[np.intp], list[frozenset[str]]]:
        """For each line the number of its set of words, and those sets."""
        numbers: dict[Hashable, int] = {}
        sets: list[frozenset[str]] = []
        found = np.empty(len(self.lines), np.intp)
        for place, (one, note) in enumerate(zip(self.lines, self.notes.tolist(), strict=True)):
            key = (one.kind, one.channels, str(note), character(one.tonalness))
            if key not in numbers:
                numbers[key] = len(sets)
                sets.append(words_of(one, self.tuning))
            found[place] = numbers[key]
        return found, sets

    def with_word(self, plain: str) -> NDArray[np.bool_]:
        """Which lines have a word for what was measured of them, shape (n,); see :func:`.plain_word`."""
        numbers, sets = self._measured_words
        has = np.array([plain in one for one in sets], bool)
        return has[numbers] if len(sets) else np.zeros(len(self.lines), bool)

    def ranks(
        self, name: str, values: Callable[[Columns], Sequence[Any] | NDArray[Any]]
    ) -> Positions:
        """For each line the place of its value among all that are different, shape (n,).

        Parameters
        ----------
        name : str
            Under which it is kept.
        values : callable
            Gives n values that can be compared; the same ones have one place.
        """
        if name not in self._ranks:
            _, found = np.unique(np.asarray(values(self)), return_inverse=True)
            self._ranks[name] = found.reshape(-1)
        return self._ranks[name]
