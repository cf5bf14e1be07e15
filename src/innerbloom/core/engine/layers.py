"""What an engine keeps for its layers, so that layers can come and go while notes sound."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.engine.choosing import Chooser
from innerbloom.core.engine.colouring import Colouring
from innerbloom.core.engine.kernels.tone import TONE_STATE
from innerbloom.core.engine.program import LayerProgram
from innerbloom.core.engine.sources import SOURCE_KINDS
from innerbloom.core.engine.state import BLOCK, CHOSEN, PART, SPAN
from innerbloom.core.instrument.catalogue import KINDS
from innerbloom.core.instrument.parameters import engine_value

_PRESENCE_STEP = 0.15
_COLOURING = ("colour_amount", "colour_detail", "colour_from", "colour_place")
_HEARD, _UNHEARD = np.ones(SPAN), np.zeros(SPAN)


class LayerState:
    """One layer: its program, its source's state, and the signals it makes.

    Parameters
    ----------
    program : LayerProgram
    slots : int
        Voices it keeps state for.
    """

    def __init__(self, program: LayerProgram, slots: int) -> None:
        self.source = SOURCE_KINDS[program.kind]
        self.slots = slots
        self.own = np.zeros(slots, self.source.state)
        self.tone = np.zeros(slots, TONE_STATE)
        self.signal = np.zeros((slots, 2 * BLOCK), np.float32)
        self.still = np.zeros((slots, 2 * BLOCK), np.float32)
        self.sent = np.zeros((slots, BLOCK))
        self.presence = 1.0
        self.colouring: Colouring | None = None
        self.chooser = Chooser(program.picks)
        self.take_over(program)

    def take_over(self, program: LayerProgram) -> None:
        """Go on with another program that :meth:`fits`."""
        self.program = program
        self.row = program.row.copy()
        if self.colouring is not None:
            self.colouring.target = program.colour
        elif program.colour is not None:
            self.colouring = Colouring(program.colour)
        self.chooser.picks = program.picks

    def setting(self, parameter: str) -> float:
        """One setting as a number, a choice as the place of its word."""
        return float(self.row[self.program.place_of(parameter)])

    def set(self, parameter: str, value: float | str) -> float:
        """Change one setting; gives it as the engine holds it."""
        at = self.program.place_of(parameter)
        self.row[at] = engine_value(KINDS[self.program.kind][at], value)
        return float(self.row[at])

    def colour_settings(self, row: NDArray[np.float64]) -> NDArray[np.float64]:
        """What the colouring is set to, of settings of shape (ticks, values)."""
        return np.asarray(row[:, [self.program.place_of(one) for one in _COLOURING]])

    def step_presence(self, wanted: float, ticks: int) -> NDArray[np.float64]:
        """Gain of mute and solo at the end of each tick, on its way to 0 or 1."""
        if self.presence == wanted:
            return _HEARD if wanted else _UNHEARD
        row = np.empty(SPAN)
        for tick in range(ticks):
            self.presence += _PRESENCE_STEP * (wanted - self.presence)
            if abs(wanted - self.presence) < 1e-4:
                self.presence = wanted
            row[tick] = self.presence
        return row

    def fits(self, program: LayerProgram) -> bool:
        """Whether what sounds can go on with another program."""
        return (
            self.program.id == program.id
            and self.program.kind == program.kind
            and len(self.program.materials) == len(program.materials)
            and all(
                one is other
                for one, other in zip(self.program.materials, program.materials, strict=True)
            )
        )

    def compensation(self, members: NDArray[np.float64], detune: float) -> float:
        """Gain that keeps a stack as loud as one voice.

        Voices that make equal signals add up in amplitude, others in power; ``members``
        holds what sets each apart, shape (members, anything).
        """
        count = len(members)
        if not self.source.alike or (detune != 0.0 and count > 1):
            return 1.0 / float(np.sqrt(count))
        _, sizes = np.unique(members, axis=0, return_counts=True)
        return 1.0 / float(np.sqrt((sizes.astype(float) ** 2).sum()))


def wanted_presences(layers: list[LayerState]) -> list[float]:
    """1 for the layers that are to be heard, by mute and solo, 0 for the others."""
    mutes = [layer.setting("mute") > 0.5 for layer in layers]
    solos = [layer.setting("solo") > 0.5 for layer in layers]
    heard = solos if any(solos) else [not mute for mute in mutes]
    return [1.0 if one else 0.0 for one in heard]


class Shared:
    """What all layers of an engine have in one array each, by layer and slot."""

    def __init__(self, layers: int, slots: int) -> None:
        self.parts = np.zeros((layers, slots), PART)
        self.chosen = np.zeros((layers, slots), CHOSEN)

    def rearranged(self, rows: list[int | None], slots: int) -> Shared:
        """The same for other layers: each from an earlier row, or new."""
        made = Shared(len(rows), slots)
        for new, old in enumerate(rows):
            if old is not None:
                made.parts[new] = self.parts[old]
                made.chosen[new] = self.chosen[old]
        return made


def view_of(values: NDArray[np.float64], at: int, dtype: np.dtype[Any]) -> NDArray[Any]:
    """The settings of one layer, by name, in rows of all: shape (slots, SPAN)."""
    width = dtype.itemsize // 8
    return values[:, :, at : at + width].view(dtype)[:, :, 0]
