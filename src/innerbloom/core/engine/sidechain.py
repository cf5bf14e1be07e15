"""Sidechain taps of followers: level, brightness and pitch of layers or of all, a span late."""

from __future__ import annotations

import copy

import numpy as np
import scipy
from numpy.typing import NDArray

from innerbloom.core.analysis.contour import CLEAR, CONTOUR_RATE, QUIET
from innerbloom.core.analysis.pitch import FRAME, RATE, frame_pitches
from innerbloom.core.dsp.rates import GROUPS, SPAN, TICK
from innerbloom.core.engine.layout import Layout
from innerbloom.core.engine.modulation_program import WHOLE, ModulationProgram
from innerbloom.core.instrument.catalogue import MODULATOR_KINDS
from innerbloom.core.modulators.follower import PITCH

_RING = 2 * SPAN
_LISTENING = [kind.id for kind in MODULATOR_KINDS.values() if kind.needs == "layer"]
_PITCH_TICKS = 16
"""Ticks from one look at the pitch to the next: 21 ms."""

_DOWN = CONTOUR_RATE // RATE
_HEARD = _DOWN * FRAME
_NO_METER = np.zeros((0, SPAN, 2))
_NO_TAP = np.zeros((0, SPAN * TICK), np.float32)


class Sidechain:
    """What is heard of the layers that followers listen to.

    Parameters
    ----------
    program : ModulationProgram
    layout : Layout
    """

    def __init__(self, program: ModulationProgram, layout: Layout) -> None:
        self.follows = program.follows
        self._measures = [
            (one["heard"], layout.column(id_, "measure"))
            for one, id_ in zip(program.modulators, program.ids, strict=True)
            if layout.owners[id_].kind in _LISTENING
        ]
        listened = len(self.follows)
        self._ring = np.zeros((_RING, listened, 3))
        self._pitch = np.zeros(listened)
        self._sound = np.zeros((listened, _HEARD + SPAN * TICK), np.float32)
        self.heard = np.zeros((SPAN, listened, 3))
        self._wanted: set[int] = set()
        self._meters = np.zeros((0, GROUPS, SPAN, 2))
        self._taps = np.zeros((0, GROUPS, SPAN * TICK), np.float32)

    def begin(self, first: int, ticks: int, row: NDArray[np.float64], layers: int) -> None:
        """Before a span: what followers are given, and room for what is heard meanwhile.

        Parameters
        ----------
        first, ticks : int
            The span, in ticks since the start.
        row : ndarray of float64
            Settings at its beginning.
        layers : int
        """
        if not self.follows:
            return
        self._wanted = {int(heard) for heard, at in self._measures if row[at] == PITCH}
        for tick in range(ticks):
            self.heard[tick] = self._ring[(first + tick - SPAN) % _RING]
        self._meters = np.zeros((layers, GROUPS, SPAN, 2))
        self._taps = np.zeros((layers if self._wanted else 0, GROUPS, SPAN * TICK), np.float32)

    def meter_of(self, layer: int) -> NDArray[np.float64]:
        """Where a layer's level is measured, if anyone listens to it."""
        return self._meters[layer] if self._heard_by(layer, set(self.follows)) else _NO_METER

    def tap_of(self, layer: int) -> NDArray[np.float32]:
        """Where a layer's sound is collected, if anyone listens to its pitch."""
        wanted = {self.follows[one] for one in self._wanted}
        return self._taps[layer] if self._heard_by(layer, wanted) else _NO_TAP

    @staticmethod
    def _heard_by(layer: int, follows: set[int]) -> bool:
        return layer in follows or WHOLE in follows

    def end(self, first: int, ticks: int) -> None:
        """Keep what was heard in a span, to be read a span later however spans are cut."""
        if not self.follows:
            return
        heard = self._meters.sum(axis=1)
        for number, layer in enumerate(self.follows):
            looks = self._collect(number, layer, first, ticks) if number in self._wanted else {}
            of_layer = heard.sum(axis=0) if layer == WHOLE else heard[layer]
            for tick in range(ticks):
                self._pitch[number] = looks.get(first + tick, self._pitch[number])
                row = self._ring[(first + tick) % _RING, number]
                row[:2], row[2] = of_layer[tick], self._pitch[number]

    def _collect(self, number: int, layer: int, first: int, ticks: int) -> dict[int, float]:
        """Add a span to what was heard; gives pitches found at ticks in it."""
        taps = self._taps.sum(axis=1)
        new = (taps.sum(axis=0) if layer == WHOLE else taps[layer])[: ticks * TICK]
        sound = self._sound[number]
        sound[: -len(new)] = sound[len(new) :]
        sound[-len(new) :] = new
        found = {}
        for tick in range(first, first + ticks):
            if tick % _PITCH_TICKS == 0:
                end = len(sound) - (first + ticks - tick) * TICK
                hz = _pitch_of(sound[end - _HEARD : end])
                if hz > 0.0:
                    found[tick] = hz
        return found

    def copied(self) -> Sidechain:
        """The same, going its own way from here."""
        # where nothing is followed nothing is kept
        return copy.deepcopy(self) if self.follows else self

    def take_over(self, before: Sidechain) -> None:
        """Go on from where another left off, for layers that both listen to."""
        for new, layer in enumerate(self.follows):
            if layer in before.follows:
                old = before.follows.index(layer)
                self._ring[:, new] = before._ring[:, old]
                self._pitch[new] = before._pitch[old]
                self._sound[new] = before._sound[old]


def _pitch_of(sound: NDArray[np.float32]) -> float:
    """Pitch in Hz of _HEARD frames; 0 where there is none."""
    low = scipy.signal.resample_poly(sound, 1, _DOWN)[:FRAME].astype(np.float32)
    found = frame_pitches(low[None, :])
    clear = found.clarity[0] >= CLEAR and found.rms[0] > QUIET
    return float(found.hz[0]) if clear else 0.0
