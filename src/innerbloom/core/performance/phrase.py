"""Chords that are held become patterns: keys in, notes out.

Steps lie where the beats lie (:mod:`.beat`) and not where the step before lay, so that nothing
drifts. All chance is drawn from a seed and the number of the step: the same keys give the same
notes.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from innerbloom.core.dsp.chance import draw_of
from innerbloom.core.dsp.rates import RATE
from innerbloom.core.performance.beat import BeatClock
from innerbloom.core.performance.events import Event
from innerbloom.core.performance.phrase_settings import PhraseSettings

FIRST_NOTE = 1 << 27
"""Notes that a phrase makes count from here."""

_SOUNDS, _ORDER = np.uint64(0), np.uint64(1)
_OCTAVE = 12.0
_OF_A_NOTE = ("bend", "pressure", "slide")


@dataclass
class _Key:
    """A key in the pattern: as it was struck, and what a finger does on it since."""

    event: Event
    down: bool = True


class Phrase:
    """One pattern player.

    Parameters
    ----------
    settings : PhraseSettings
    tempo : float
        Beats a minute.
    seed : int
    first_note : int
        Id of its first note; later ones count up.

    Examples
    --------
    >>> phrase = Phrase(PhraseSettings(pattern="up"), 120.0)
    >>> phrase.play([Event("on", 1, 60.0, 0.8), Event("on", 2, 64.0, 0.8)], 12_000)
    [Event('on', ..., 60.0, time=0), Event('off', ...), Event('on', ..., 64.0, time=6000), ...]
    """

    def __init__(
        self,
        settings: Any = None,
        tempo: float = 90.0,
        *,
        seed: int = 1,
        first_note: int = FIRST_NOTE,
    ) -> None:
        self.settings: Any = settings or PhraseSettings()
        self.seed = seed
        self._clock = BeatClock(tempo)
        self._keys: dict[int, _Key] = {}
        self._holding = False
        self._next_note = first_note
        self._step = self._first_step = self._origin = 0
        self._anchor = 0.0
        self._running = False
        self._last: tuple[int, float] | None = None
        self._ending: list[tuple[int, int, int]] = []

    @property
    def on(self) -> bool:
        """Whether keys become patterns; else they pass as they are."""
        return bool(self.settings.pattern != "off")

    @property
    def running(self) -> bool:
        """Whether a pattern goes on, or a note of one has still to end."""
        return self._running or bool(self._ending)

    def set_tempo(self, tempo: float, now: int) -> None:
        """Another tempo from a frame on; the step under way ends in it."""
        self._clock.set_tempo(tempo, now)

    def configure(self, settings: Any, now: int) -> list[Event]:
        """Other settings from a frame on; gives what ends a pattern that is switched off."""
        paced = [(one.counted, one.step, one.rate, one.swing) for one in (self.settings, settings)]
        was_on, self.settings = self.on, settings
        if was_on and not self.on:
            return self._stop(now)
        if paced[0] != paced[1] and self._running:
            # the next step comes a whole new step from now
            self._anchor_at(now)
        return []

    def play(self, events: Iterable[Event], until: int) -> list[Event]:
        """What sounds up to a frame, that one excluded, of keys and all else that is played.

        Parameters
        ----------
        events : iterable of Event
            In order of time, none of them before the last call's ``until``.
        """
        made: list[Event] = []
        for event in events:
            self._walk(event.time, made)
            self._take(event, made)
        self._walk(until, made)
        return made

    # -- what is played --------------------------------------------------------

    def _take(self, event: Event, made: list[Event]) -> None:
        match event.kind:
            case "on" if self.on:
                self._strike(event)
            case "off" if event.note in self._keys:
                self._let_go(event, made)
            case "bend" | "pressure" | "slide" if event.note in self._keys:
                self._touch(event, made)
            case "hold":
                self._hold(event, made)
            case "panic":
                made += [event, *self._stop(event.time)]
            case _:
                made.append(event)

    def _strike(self, event: Event) -> None:
        if self._holding and not any(key.down for key in self._keys.values()):
            # a new chord takes the place of one that is only held
            self._keys.clear()
        self._keys[event.note] = _Key(event)
        if not self._running:
            self._running, self._origin = True, self._step
            waits = self.settings.begins == "on the beat"
            self._anchor_at(self._clock.next_frame(event.time) if waits else event.time, fresh=True)

    def _let_go(self, event: Event, made: list[Event]) -> None:
        self._keys[event.note].down = False
        if not self._holding:
            del self._keys[event.note]
            if not self._keys:
                made += self._stop(event.time)

    def _hold(self, event: Event, made: list[Event]) -> None:
        self._holding = event.value >= 0.5
        if not self.on:
            made.append(event)
        if not self._holding:
            self._keys = {note: key for note, key in self._keys.items() if key.down}
            if self._running and not self._keys:
                made += self._stop(event.time)

    def _touch(self, event: Event, made: list[Event]) -> None:
        """What a finger does on a key is done to the notes that the key makes."""
        made += [
            replace(event, note=note) for _, note, source in self._ending if source == event.note
        ]

    def _stop(self, now: int) -> list[Event]:
        ended = [Event("off", note, time=now) for _, note, _ in self._ending]
        self._keys.clear()
        self._ending.clear()
        self._running, self._last = False, None
        return ended

    # -- steps -----------------------------------------------------------------

    def _anchor_at(self, frame: int, *, fresh: bool = False) -> None:
        """Count steps from a frame on: from one step after it, or from right there."""
        in_beats = self.settings.counted == "in beats"
        self._anchor = self._clock.beat_at(frame) if in_beats else float(frame)
        # an even number of steps back, so that swing keeps its pairs
        self._first_step = self._step if fresh else self._step - 1

    def _frame_of(self, step: int) -> int:
        """Where a step lies, counted from the anchor."""
        count = step - self._first_step
        pairs, odd = divmod(count, 2)
        steps = 2 * pairs + odd * 2.0 * float(self.settings.swing) / 100.0
        if self.settings.counted == "in beats":
            return self._clock.frame_at(self._anchor + steps * float(self.settings.step))
        return round(self._anchor + steps * RATE / float(self.settings.rate))

    def _walk(self, until: int, made: list[Event]) -> None:
        """Strike and end notes up to a frame."""
        while True:
            step_at = self._frame_of(self._step) if self._running else until
            ends_at = min((at for at, _, _ in self._ending), default=until)
            if min(step_at, ends_at) >= until:
                return
            if ends_at <= step_at:
                self._end_first(made)
            else:
                self._sound_step(step_at, made)

    def _end_first(self, made: list[Event]) -> None:
        first = min(self._ending)
        self._ending.remove(first)
        made.append(Event("off", first[1], time=first[0]))

    def _sound_step(self, at: int, made: list[Event]) -> None:
        step = self._step
        self._step += 1
        length = self._frame_of(step + 1) - at
        source, key = self._pick(step)
        if self._draw(step, _SOUNDS) >= float(self.settings.chance) / 100.0:
            return
        note, self._next_note = self._next_note, self._next_note + 1
        end = at + max(1, round(length * float(self.settings.gate) / 100.0))
        struck = self._keys[source].event
        made.append(replace(struck, note=note, key=key, time=at))
        self._ending.append((end, note, source))

    def _pick(self, step: int) -> tuple[int, float]:
        """The key of a step, as the note that was struck and where it sounds."""
        pool = self._pool()
        count, number = len(pool), step - self._origin
        match self.settings.pattern:
            case "up and down" if count > 2:
                turn = number % (2 * count - 2)
                at = turn if turn < count else 2 * count - 2 - turn
            case "random":
                at = self._random(step, pool)
            case "trill" if count > 1:
                at = 0 if number % 2 == 0 else 1 + (number // 2) % (count - 1)
            case _:
                at = number % count
        self._last = pool[at]
        return pool[at]

    def _pool(self) -> list[tuple[int, float]]:
        """All keys of the pattern in its order, over its octaves."""
        keys = [(note, key.event.key) for note, key in self._keys.items()]
        if self.settings.pattern not in ("as played", "trill"):
            keys.sort(key=lambda one: one[1])
        over = [
            (note, key + _OCTAVE * octave)
            for octave in range(int(self.settings.octaves))
            for note, key in keys
            if key + _OCTAVE * octave <= 127.0
        ]
        return over[::-1] if self.settings.pattern == "down" else over

    def _random(self, step: int, pool: list[tuple[int, float]]) -> int:
        """Any but the last, if there is another."""
        others = [at for at, one in enumerate(pool) if one != self._last] or [0]
        return others[min(len(others) - 1, int(self._draw(step, _ORDER) * len(others)))]

    def _draw(self, step: int, what: np.uint64) -> float:
        return float(draw_of(np.uint64(self.seed), np.uint64(step), what))
