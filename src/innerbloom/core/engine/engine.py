"""The one engine: live playing, bounces and tests all call :meth:`Engine.render`."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.engine.kernels import LAYER_KERNELS
from innerbloom.core.engine.kernels.ceiling import limit_ticks
from innerbloom.core.engine.program import LayerProgram, Program
from innerbloom.core.engine.state import GRAIN, MAX_GRAINS, PART, TICK
from innerbloom.core.engine.voices import VoiceBook
from innerbloom.core.performance.events import Event

DELAY = TICK
"""Frames by which the output lags behind, for the ceiling's look-ahead."""


class _LayerState:
    """What one layer carries from tick to tick."""

    def __init__(self, program: LayerProgram, slots: int) -> None:
        self.program = program
        self.settings = program.settings.copy()
        self.audio = program.material.audio.reshape(-1)
        self.parts = np.zeros(slots, PART)
        self.grains = np.zeros((slots, MAX_GRAINS), GRAIN)
        level, pan = float(self.settings["level"][0]), float(self.settings["pan"][0])
        self.gains = np.array([10.0 ** (level / 20.0), pan * 0.01])
        self.kernel = LAYER_KERNELS[program.kind]


class Engine:
    """Everything that sounds, for one program.

    The output is 48 kHz, float32, stereo, within -0.5 dBFS. The same program and events
    give the same samples however the calls to :meth:`render` are cut.

    Parameters
    ----------
    program : Program
    """

    def __init__(self, program: Program) -> None:
        self.program = program
        self.whole = program.whole.copy()
        self.voices = VoiceBook(int(self.whole["voices"][0]))
        self.layers = [_LayerState(layer, self.voices.slots) for layer in program.layers]
        self.now = 0
        level = 10.0 ** (float(self.whole["level"][0]) / 20.0)
        self._ceiling = np.array([1.0, 1.0, level, 1.0])
        self._waiting = np.zeros((TICK, 2), np.float32)
        self._bus = np.zeros(2 * TICK, np.float32)
        self._left_over = np.zeros((0, 2), np.float32)
        self._pending: list[Event] = []

    # -- playing ---------------------------------------------------------------

    def render(self, frames: int, events: Iterable[Event] = ()) -> NDArray[np.float32]:
        """The next stretch of sound.

        Parameters
        ----------
        frames : int
            How many frames, any number from 0.
        events : iterable of Event
            What is played, at absolute times in frames; an event takes effect at the
            next tick at or after its time.

        Returns
        -------
        ndarray of float32, shape (frames, 2)
        """
        self._pending.extend(events)
        self._pending.sort(key=lambda event: event.time)
        missing = frames - len(self._left_over)
        ticks = max(0, -(-missing // TICK))
        fresh = np.zeros((ticks * TICK, 2), np.float32)
        done = 0
        while done < ticks:
            self._apply_due()
            span = self._ticks_until_event(ticks - done)
            self._run(fresh[done * TICK : (done + span) * TICK])
            done += span
        sound = np.concatenate((self._left_over, fresh)) if len(self._left_over) else fresh
        self._left_over = sound[frames:].copy()
        return sound[:frames]

    def _apply_due(self) -> None:
        while self._pending and self._pending[0].time <= self.now:
            event = self._pending.pop(0)
            self.voices.retire([layer.parts for layer in self.layers])
            self.voices.play(event)

    def _ticks_until_event(self, most: int) -> int:
        if not self._pending:
            return most
        return min(most, -(-(self._pending[0].time - self.now) // TICK))

    def _run(self, out: NDArray[np.float32]) -> None:
        seed = np.uint64(int(self.whole["seed"][0]))
        tuning = float(self.whole["tuning"][0])
        for index, layer in enumerate(self.layers):
            material = layer.program.material
            layer.kernel(
                out,
                self._bus,
                self.voices.records,
                layer.parts,
                layer.grains,
                layer.settings,
                index,
                layer.audio,
                material.copies,
                layer.program.shape,
                layer.gains,
                seed,
                tuning,
            )
        limit_ticks(out, self._waiting, self._ceiling, float(self.whole["level"][0]))
        self.now += len(out)

    # -- shaping ---------------------------------------------------------------

    def set_value(self, layer: int | None, parameter: str, value: float) -> None:
        """Move one control: of a layer by its index, or of the whole when None."""
        record = self.whole if layer is None else self.layers[layer].settings
        record[parameter] = value
        if layer is None and parameter == "voices":
            self.voices.set_limit(int(value))

    def adopt(self, program: Program) -> bool:
        """Take over another program's settings if it has the same layers and sounds.

        Returns False, and changes nothing, when a new engine is needed.
        """
        same = len(program.layers) == len(self.layers) and all(
            new.id == old.program.id
            and new.kind == old.program.kind
            and new.material is old.program.material
            for new, old in zip(program.layers, self.layers, strict=True)
        )
        if not same:
            return False
        for new, old in zip(program.layers, self.layers, strict=True):
            old.program = new
            old.settings[:] = new.settings
        self.whole[:] = program.whole
        self.voices.set_limit(int(self.whole["voices"][0]))
        self.program = program
        return True

    # -- looking in ------------------------------------------------------------

    def sounding(self) -> int:
        """How many notes sound now, counting those being let go."""
        self.voices.retire([layer.parts for layer in self.layers])
        return self.voices.sounding()

    def silent(self) -> bool:
        """Whether nothing sounds and nothing is due."""
        return self.sounding() == 0 and not self._pending and not self._waiting.any()

    def held_down_db(self) -> float:
        """Most that the ceiling took away since the last call, in dB, 0 or below."""
        lowest = float(self._ceiling[3])
        self._ceiling[3] = self._ceiling[0]
        return 20.0 * float(np.log10(max(lowest, 1e-6)))

    def look(self, most: int = 256) -> list[dict[str, Any]]:
        """Grains and playheads of each layer, for pictures.

        Returns
        -------
        list of dict, one a layer
            ``grains``: rows of [place, age, pan, level], place and age in 0..1, pan in
            -1..1; ``heads``: the position of each sounding voice in 0..1.
        """
        return [_look_at(layer, most) for layer in self.layers]


def _look_at(layer: _LayerState, most: int) -> dict[str, Any]:
    slots = np.flatnonzero(layer.parts["active"])
    parts = layer.parts[slots]
    heads: list[float] = parts["position"].round(4).tolist()
    sounding = np.arange(MAX_GRAINS) < parts["grains"][:, None]
    grains = layer.grains[slots][sounding][:most]
    loudness = np.repeat(parts["level"] * parts["fade"], parts["grains"])[:most]
    both = np.maximum(grains["left"] + grains["right"], 1e-12)
    rows = np.stack(
        (
            grains["place"] / layer.program.material.seconds,
            grains["age"] / np.maximum(grains["length"], 1.0),
            (grains["right"] - grains["left"]) / both,
            loudness,
        ),
        axis=1,
    )
    return {"grains": rows.round(4).tolist(), "heads": heads}
