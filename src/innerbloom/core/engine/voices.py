"""Which note sounds in which voices: starting, stacking, gliding, letting go, giving way."""

from __future__ import annotations

import copy
import math
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.parameters import option
from innerbloom.core.dsp.chance import draw_of
from innerbloom.core.dsp.rates import TICK_S
from innerbloom.core.dsp.state import DYING, FREE, HELD, RELEASED, VOICE
from innerbloom.core.instrument.shared_parameters import INSTRUMENT
from innerbloom.core.performance.events import Event

MAX_VOICES = 64
_POLY, _MONO = option(INSTRUMENT, "mode", "poly"), option(INSTRUMENT, "mode", "mono")
_LOW, _HIGH = option(INSTRUMENT, "priority", "low"), option(INSTRUMENT, "priority", "high")
_NO_GLIDE, _BY_TIME = option(INSTRUMENT, "glide", "off"), option(INSTRUMENT, "glide", "by time")
_ALWAYS = option(INSTRUMENT, "glide_when", "always")
_CHANCE_OF_VOICES = 1 << 20
"""Stands for the layer in the key of a voice's own chance."""


def playable_notes(voices: int, members: int) -> int:
    """How many notes may sound at once when each takes ``members`` voices."""
    return max(1, voices // members)


@dataclass
class _Key:
    """A key that is down."""

    note: int
    key: float
    velocity: float
    touch: dict[str, float] = field(default_factory=dict)


class VoiceBook:
    """The voices of one engine.

    There are twice as many slots as voices may sound, so that a note that gives way can
    fade out while its successor starts.

    Parameters
    ----------
    whole : record array, shape (1,)
        Settings of the whole instrument, read at every event.
    members : int
        Size of the stack, 1..8.
    tuning : ndarray, shape (128,)
        Semitones added to each key; NaN for a silent key.
    serial : int
        How many voices have been struck before; chance depends on it.
    """

    slots = 2 * MAX_VOICES

    def __init__(
        self, whole: NDArray[Any], members: int, tuning: NDArray[np.float64], serial: int = 0
    ) -> None:
        self.records = np.zeros(self.slots, VOICE)
        self.whole, self.members, self.tuning = whole, members, tuning
        self.holding = False
        self.leader = np.zeros(1, VOICE)
        self.leader["pitch"] = self.leader["key"] = 60.0
        self.phrase = 0
        self.serial = serial
        self._down: list[_Key] = []
        self._last_key = math.nan

    def configure(self, whole: NDArray[Any], members: int, tuning: NDArray[np.float64]) -> None:
        """Take over other settings, stack and tuning; notes that sound keep what they have.

        Members that the stack has no more fade out: at the level of so few they would be too loud.
        """
        self.whole, self.members, self.tuning = whole, members, tuning
        beyond = self.records["member"] >= members
        self.records["state"][beyond & (self.records["state"] != FREE)] = DYING
        self.records["member"] = np.minimum(self.records["member"], members - 1)
        self.respect_limit()

    @property
    def limit(self) -> int:
        return int(self.whole["voices"][0])

    def respect_limit(self) -> None:
        """Let the oldest notes give way until no more sound than may."""
        while self._living().size > self.limit:
            self._give_way()

    def play(self, event: Event) -> list[int]:
        """Apply one event; gives the slots of voices that started."""
        match event.kind:
            case "on":
                return self._strike(event)
            case "off":
                self._lift(event)
            case "hold":
                self._hold(event.value >= 0.5)
            case "sostenuto":
                self._sustain_some(event.value >= 0.5)
            case "panic":
                self.records["state"][self.records["state"] != FREE] = DYING
                self.holding = False
                self._down.clear()
            case "bend" | "pressure" | "slide":
                self._touch(event)
        return []

    def retire(self, layers: NDArray[Any]) -> None:
        """Free the voices whose every layer has ended; LAYER_VOICE of shape (layers, slots).

        Only what is part of the stream may do so: when a voice is freed is part of what sounds.
        """
        self.records["state"][~self._busy(layers)] = FREE

    def _busy(self, layers: NDArray[Any]) -> NDArray[np.bool_]:
        """Voices with a layer that has not ended; one that has not met its note yet is busy."""
        busy = (layers["active"] != 0) | (layers["serial"] != self.records["serial"])
        return np.asarray(busy.any(axis=0))

    def sounding(self, layers: NDArray[Any]) -> int:
        """Voices held or being let go that have not ended; looking at it changes nothing."""
        living = np.zeros(self.slots, np.bool_)
        living[self._living()] = True
        return int((living & self._busy(layers)).sum())

    def copied(self) -> VoiceBook:
        """The same voices, going their own way from here."""
        other = copy.copy(self)
        other.records = self.records.copy()
        other.leader = self.leader.copy()
        return other

    def keys_held(self) -> int:
        """How many keys are down, pedals aside."""
        return len(self._down)

    def age_s(self) -> float:
        """Seconds since the newest note began."""
        return float(self.leader["age"][0])

    def keys_of_down(self) -> tuple[float, ...]:
        """The keys that are down, as note numbers."""
        return tuple(float(one.key) for one in self._down)

    def keys_down(self) -> list[Event]:
        """The keys that are down, as they would be struck again."""
        return [Event("on", one.note, one.key, one.velocity) for one in self._down]

    def living(self) -> NDArray[np.intp]:
        """Slots of the voices held or being let go."""
        return self._living()

    # -- striking --------------------------------------------------------------

    def _strike(self, event: Event) -> list[int]:
        if math.isnan(self.tuning[min(127, max(0, round(event.key)))]):
            return []
        legato = bool(self._down)
        self.phrase += not legato
        self._down = [one for one in self._down if one.note != event.note]
        struck = _Key(event.note, event.key, event.value)
        self._down.append(struck)
        if int(self.whole["mode"][0]) == _POLY:
            return self._start(struck, legato)
        return self._strike_one(struck, legato)

    def _strike_one(self, struck: _Key, legato: bool) -> list[int]:
        """Mono and legato: the voices that sound already take the new key over."""
        wanted = self._preferred()
        if wanted is not struck and legato:
            return []
        living = self._living()
        if not living.size:
            return self._start(struck, legato)
        self._take_over(living, struck, legato)
        if int(self.whole["mode"][0]) == _MONO or not legato:
            self.records["trigger"][living] += 1
            self.records["velocity"][living] = struck.velocity
        self.records["state"][living] = HELD
        return []

    def _take_over(self, slots: NDArray[np.intp], to: _Key, legato: bool) -> None:
        voices = self.records
        for slot in slots:
            pitch = float(voices["pitch"][slot])
            voices["glide"][slot] = self._glide_step(pitch, to.key, legato)
            if voices["glide"][slot] == 0.0:
                voices["pitch"][slot] = to.key
        voices["note"][slots], voices["key"][slots] = to.note, to.key
        voices["lifted"][slots] = 0
        for kind in ("bend", "pressure", "slide"):
            voices[kind][slots] = to.touch.get(kind, 0.0)
        self._last_key = to.key

    def _start(self, struck: _Key, legato: bool) -> list[int]:
        members = min(self.members, self.limit)
        while self._living().size + members > self.limit:
            self._give_way()
        return [self._start_voice(struck, member, members, legato) for member in range(members)]

    def _start_voice(self, struck: _Key, member: int, members: int, legato: bool) -> int:
        slot = self._empty_slot()
        self.serial += 1
        voice = self.records[slot]
        voice["state"], voice["note"], voice["serial"] = HELD, struck.note, self.serial
        voice["trigger"] = 0
        voice["member"] = member
        voice["place"] = 0.0 if members == 1 else 2.0 * member / (members - 1) - 1.0
        voice["key"], voice["velocity"] = struck.key, struck.velocity
        voice["glide"] = self._glide_step(self._last_key, struck.key, legato)
        voice["pitch"] = self._last_key if voice["glide"] > 0.0 else struck.key
        voice["release_velocity"] = voice["bend"] = voice["pressure"] = voice["slide"] = 0.0
        voice["lifted"] = voice["kept"] = 0
        voice["age"] = 0.0
        seed = np.uint64(int(self.whole["seed"][0]))
        voice["random"] = draw_of(seed, np.uint64(self.serial), np.uint64(_CHANCE_OF_VOICES))
        if member == members - 1:
            self._last_key = struck.key
        return slot

    def _glide_step(self, start: float, end: float, legato: bool) -> float:
        """Semitones a tick of a glide; 0 for none."""
        way = int(self.whole["glide"][0])
        always = int(self.whole["glide_when"][0]) == _ALWAYS
        if way == _NO_GLIDE or math.isnan(start) or not (legato or always):
            return 0.0
        if way == _BY_TIME:
            ticks = max(1, round(float(self.whole["glide_time"][0]) * 0.001 / TICK_S))
            return abs(end - start) / ticks
        return float(self.whole["glide_rate"][0]) * TICK_S

    def _preferred(self) -> _Key:
        way = int(self.whole["priority"][0])
        if way == _LOW:
            return min(self._down, key=lambda one: one.key)
        if way == _HIGH:
            return max(self._down, key=lambda one: one.key)
        return self._down[-1]

    # -- letting go ------------------------------------------------------------

    def _lift(self, event: Event) -> None:
        self._down = [one for one in self._down if one.note != event.note]
        chosen = self._of_note(event.note)
        chosen = chosen[self.records["state"][chosen] == HELD]
        if int(self.whole["mode"][0]) != _POLY and self._down and chosen.size:
            # another key is still down: the sound goes on there
            self._take_over(chosen, self._preferred(), legato=True)
            return
        self.records["release_velocity"][chosen] = event.value
        kept = (self.records["kept"][chosen] == 1) | self.holding
        self.records["lifted"][chosen[kept]] = 1
        self.records["state"][chosen[~kept]] = RELEASED

    def _hold(self, on: bool) -> None:
        self.holding = on
        if not on:
            self._let_lifted_go()

    def _sustain_some(self, on: bool) -> None:
        """The sostenuto pedal keeps the keys that are down when it is pressed."""
        state = self.records["state"]
        self.records["kept"][state == HELD] = int(on)
        if not on:
            self.records["kept"][:] = 0
            if not self.holding:
                self._let_lifted_go()

    def _let_lifted_go(self) -> None:
        state, lifted = self.records["state"], self.records["lifted"]
        state[(state == HELD) & (lifted == 1) & (self.records["kept"] == 0)] = RELEASED

    def _touch(self, event: Event) -> None:
        for one in self._down:
            if one.note == event.note:
                one.touch[event.kind] = event.value
        self.records[event.kind][self._of_note(event.note)] = event.value

    # -- inside ----------------------------------------------------------------

    def _living(self) -> NDArray[np.intp]:
        state = self.records["state"]
        return np.flatnonzero((state == HELD) | (state == RELEASED))

    def _of_note(self, note: int) -> NDArray[np.intp]:
        living = self._living()
        return np.asarray(living[self.records["note"][living] == note])

    def _give_way(self) -> None:
        """Let the longest-released note go, or else the oldest, with all its members."""
        living = self._living()
        released = living[self.records["state"][living] == RELEASED]
        candidates = released if released.size else living
        oldest = candidates[np.argmin(self.records["serial"][candidates])]
        whole = living[self.records["note"][living] == self.records["note"][oldest]]
        first = self.records["serial"][oldest]
        # the same note id may have been struck again since: only this strike goes
        whole = whole[self.records["serial"][whole] < first + np.uint64(self.members)]
        self.records["state"][whole] = DYING

    def _empty_slot(self) -> int:
        state = self.records["state"]
        free = np.flatnonzero(state == FREE)
        if free.size:
            return int(free[0])
        # more notes than slots within one fade: the one dying longest has least to lose
        dying = np.flatnonzero(state == DYING)
        return int(dying[np.argmin(self.records["serial"][dying])])
