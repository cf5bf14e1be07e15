"""What a kind of modulator is, and what its kernel is given."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.parameters import Declared

Needs = Literal["nothing", "cycle", "shape", "steps", "recording", "layer"]


class Now(NamedTuple):
    """What a modulator may know of the present tick.

    voice : VOICE record
        The note it belongs to; for a shared one, the newest.
    key : uint64
        Of all its chance.
    phrase : int
        Counts the times a key went down while none was.
    tempo : float
        Beats a minute.
    morph : float in 0..1
    """

    voice: Any
    key: np.uint64
    phrase: int
    tempo: float
    morph: float


class Drawn(NamedTuple):
    """What all modulators draw on.

    tables : float64 array, shape (tables, TABLE_STEPS + 1)
        Drawn cycles and shapes.
    steps : float64 array, shape (all steps, 2)
        Value and chance of each step of every pattern.
    contours : float64 array, shape (moments, 3)
        See :mod:`innerbloom.core.analysis.contour`.
    heard : float64 array, shape (SPAN, sidechain taps, 3)
        Power, power of the differences, and Hz at each tick.
    """

    tables: NDArray[np.float64]
    steps: NDArray[np.float64]
    contours: NDArray[np.float64]
    heard: NDArray[np.float64]


@dataclass(frozen=True)
class ModulatorKind:
    """One kind of modulator: all that the rest of the product knows of it.

    Attributes
    ----------
    id, name, help : str
    parameters : tuple
    advance : kernel
        ``advance(modulator, state, row, now, drawn, heard, out)`` gives its value for a tick in
        ``out[0]``, that of its other side in ``out[1]``, and moves it on. ``modulator`` is a
        MODULATOR and ``state`` a MODULATOR_STATE record; ``row`` holds all values with movement in
        them, its own from ``modulator.at`` on; ``now`` is a :class:`Now`, ``drawn`` a
        :class:`Drawn`, ``heard`` what its sidechain tap gives at this tick.
    two_sided : bool, or (choice, word)
        Whether it swings to either side of 0; or the setting and its word with which it does.
    needs : {"nothing", "cycle", "shape", "steps", "recording", "layer"}
        What is drawn or chosen for it, if anything; ``layer`` is one to listen to.
    sides : int
        How many values it gives.
    shared : bool
        Whether one serves all notes, rather than each having its own.
    steady : bool
        Whether it is meant to stand still while a note lasts.
    most : int or None
        How many of its kind an instrument may have.
    """

    id: str
    name: str
    parameters: tuple[Declared, ...]
    advance: Callable[..., None]
    help: str
    two_sided: bool | tuple[str, str] = False
    needs: Needs = "nothing"
    sides: int = 1
    shared: bool = False
    steady: bool = False
    most: int | None = None

    def swings(self, settings: Any) -> bool:
        """Whether one with these settings swings to either side of 0."""
        if isinstance(self.two_sided, bool):
            return self.two_sided
        choice, word = self.two_sided
        return bool(getattr(settings, choice) == word)

    @property
    def declared(self) -> tuple[Declared, ...]:
        """All its parameters, in the order of the engine's rows."""
        return self.parameters

    @property
    def settings_name(self) -> str:
        """Under which its settings are published."""
        return f"{self.id.title()}ModulatorSettings"
