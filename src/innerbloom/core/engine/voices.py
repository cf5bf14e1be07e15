"""Which note sounds in which voice: starting, holding, letting go, giving way."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.engine.state import DYING, FREE, HELD, RELEASED, VOICE
from innerbloom.core.performance.events import Event

MAX_VOICES = 64


class VoiceBook:
    """The voices of one engine.

    There are twice as many slots as voices may sound, so that a note that gives way can
    fade out while its successor starts.

    Parameters
    ----------
    limit : int
        Notes that may sound at once, 1..64.
    """

    slots = 2 * MAX_VOICES

    def __init__(self, limit: int) -> None:
        self.records = np.zeros(self.slots, VOICE)
        self.limit = limit
        self.holding = False
        self._serial = 0

    def set_limit(self, limit: int) -> None:
        """Change how many notes may sound; the oldest give way."""
        self.limit = limit
        while self._living().size > limit:
            self._give_way()

    def play(self, event: Event) -> None:
        """Apply one event."""
        match event.kind:
            case "on":
                self._start(event)
            case "off":
                self._lift(event.note)
            case "hold":
                self._hold(event.value >= 0.5)
            case "panic":
                self.records["state"][self.records["state"] != FREE] = DYING
                self.holding = False
            case "bend" | "pressure" | "slide":
                chosen = self._of_note(event.note)
                self.records[event.kind][chosen] = event.value

    def retire(self, parts: list[NDArray[Any]]) -> None:
        """Free the voices whose every layer has ended."""
        serial = self.records["serial"]
        busy = np.zeros(self.slots, bool)
        for layer in parts:
            # a part that has not met its note yet counts as busy
            busy |= (layer["active"] != 0) | (layer["serial"] != serial)
        self.records["state"][~busy] = FREE

    def sounding(self) -> int:
        """Notes held or being let go."""
        return int(self._living().size)

    # -- inside ----------------------------------------------------------------

    def _living(self) -> NDArray[np.intp]:
        state = self.records["state"]
        return np.flatnonzero((state == HELD) | (state == RELEASED))

    def _of_note(self, note: int) -> NDArray[np.intp]:
        living = self._living()
        return np.asarray(living[self.records["note"][living] == note])

    def _start(self, event: Event) -> None:
        if self._living().size >= self.limit:
            self._give_way()
        slot = self._empty_slot()
        self._serial += 1
        voice = self.records[slot]
        voice["state"], voice["note"], voice["serial"] = HELD, event.note, self._serial
        voice["key"], voice["velocity"], voice["lifted"] = event.key, event.value, 0
        voice["bend"] = voice["pressure"] = voice["slide"] = 0.0

    def _give_way(self) -> None:
        """Let the longest-released note go, or else the oldest."""
        living = self._living()
        released = living[self.records["state"][living] == RELEASED]
        candidates = released if released.size else living
        oldest = candidates[np.argmin(self.records["serial"][candidates])]
        self.records["state"][oldest] = DYING

    def _empty_slot(self) -> int:
        state = self.records["state"]
        free = np.flatnonzero(state == FREE)
        if free.size:
            return int(free[0])
        # more notes than slots within one fade: the one dying longest has least to lose
        dying = np.flatnonzero(state == DYING)
        return int(dying[np.argmin(self.records["serial"][dying])])

    def _lift(self, note: int) -> None:
        chosen = self._of_note(note)
        chosen = chosen[self.records["state"][chosen] == HELD]
        if self.holding:
            self.records["lifted"][chosen] = 1
        else:
            self.records["state"][chosen] = RELEASED

    def _hold(self, on: bool) -> None:
        self.holding = on
        if not on:
            state, lifted = self.records["state"], self.records["lifted"]
            state[(state == HELD) & (lifted == 1)] = RELEASED
