"""What has lately been played, kept so that it can become a take after all.

The stream of an engine is kept in chapters. A chapter begins anew in silence (:class:`.Renew`),
so that from its start on all can be played again to the very same samples; the sound itself need
not be kept.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any, cast

from innerbloom.core.dsp.rates import RATE
from innerbloom.core.engine.engine import Engine
from innerbloom.core.engine.ensemble import EnsembleEngine
from innerbloom.core.performance.events import AnyEvent, EditProgram, Renew, gesture_of
from innerbloom.core.performance.sharing import sharing
from innerbloom.core.performance.take import EditDocument, Mark, Moved, Plain, Take, TakeEvent

KEPT_S = 300.0
"""What was played in the last five minutes is kept, and what led to it."""

MOST_EVENTS = 400_000
"""Some 90 MB of them, without a silence."""

_EVENTS_OF_AN_EDIT = 40
"""A document of which one setting was moved takes as much memory as so many other events."""

AnyEngine = Engine | EnsembleEngine
Told = Callable[[TakeEvent], None]


@dataclass
class _Chapter:
    """A stretch of the stream that begins with everything anew.

    ``opening`` is what hands and feet held as it began, which a stream that goes on from the
    chapter before has already.
    """

    document: Plain
    moved: tuple[Moved, ...]
    opening: list[TakeEvent]
    start: int
    serial: int
    exact: bool
    events: list[TakeEvent] = field(default_factory=list)
    weight: int = 0
    first_note: int | None = None


@dataclass(frozen=True)
class Excerpt:
    """What was played between two moments, as it lay in the history then.

    Cutting it out takes no time to speak of; :meth:`take`, which goes through every event, may be
    left to another thread.

    Attributes
    ----------
    start, end : int
        The two moments.
    """

    start: int
    end: int
    _first: _Chapter
    _events: tuple[list[TakeEvent], ...]

    @property
    def lead_in(self) -> int:
        """Frames from where playing again has to begin to the first moment."""
        return self.start - self._first.start

    def take(self) -> Take:
        """The same with all that led to it."""
        first = self._first
        return Take(
            document=first.document, moved=first.moved,
            events=tuple(replace(one, time=one.time - first.start)
                         for each in self._events for one in each if one.time <= self.end),
            lead_in=self.lead_in, frames=max(0, self.end - self.start),
            serial=first.serial, exact=first.exact,
        )  # fmt: skip


class History:
    """Follows an engine from the moment it is made.

    Parameters
    ----------
    engine : Engine or EnsembleEngine
        One that has played nothing yet.
    document : dict
        What its program was compiled from, as plain data.
    most_events : int
        With more than these in one chapter, the older are forgotten; an edit counts as 40.

    Attributes
    ----------
    listeners : list of callable
        Are told each event as it takes effect, its time that of the engine.
    """

    def __init__(self, engine: AnyEngine, document: Plain, most_events: int = MOST_EVENTS) -> None:
        self._engine, self._document = engine, document
        self._compiled: Any = engine.program
        self._most = most_events
        self.listeners: list[Told] = []
        self._chapters = deque([self._chapter(exact=True)])
        engine.taps.append(self._note)

    @property
    def now(self) -> int:
        """The engine's time."""
        return self._engine.now

    def renew(self) -> None:
        """Begin a chapter, if something has been played since the last and nothing sounds."""
        if self._chapters[-1].events and self._engine.silent():
            self._engine.render(0, [Renew(self._engine.serial, self.now)])

    def mark(self) -> None:
        """The player liked what just sounded."""
        self._add(Mark(self.now))

    def take(self, start: int, end: int) -> Take:
        """What was played between two moments of the engine, with all that led to it."""
        return self.excerpt(start, end).take()

    def excerpt(self, start: int, end: int) -> Excerpt:
        """The same, cut out but not gone through yet."""
        chapters = self._from(start)
        first = chapters[0]
        events = ([*first.opening], *(chapter.events.copy() for chapter in chapters))
        return Excerpt(max(start, first.start), end, first, events)

    def last(self, seconds: float = KEPT_S) -> Take | None:
        """What was played in the last minutes, from its first note on; None if nothing was."""
        excerpt = self.last_excerpt(seconds)
        return None if excerpt is None else excerpt.take()

    def last_excerpt(self, seconds: float = KEPT_S) -> Excerpt | None:
        """The same, cut out but not gone through yet."""
        first = self._first_note(seconds)
        return None if first is None else self.excerpt(first, self.now)

    def played_s(self, seconds: float = KEPT_S) -> float:
        """How long :meth:`last` would be, in seconds."""
        first = self._first_note(seconds)
        return 0.0 if first is None else (self.now - first) / RATE

    def _first_note(self, seconds: float) -> int | None:
        """Where the first note of the last so many seconds is struck, or sounds already."""
        since = max(self.now - round(seconds * RATE), 0)
        for chapter in self._from(since):
            if chapter.first_note is not None:
                return max(since, chapter.first_note)
        return None

    # -- following -------------------------------------------------------------

    def _note(self, event: AnyEvent, now: int) -> None:
        match event:
            case EditProgram():
                assert event.document is not None, "an edit that is kept says what it makes"
                self._compiled = event.program
                # an hour without a silence holds every document there was
                self._document = sharing(event.document, self._document)
                self._add(EditDocument(self._document, now))
            case Renew():
                self._add(replace(event, time=now))
                self._chapters.append(self._chapter(exact=True))
                while len(self._chapters) > 1 and self._chapters[1].start < now - KEPT_S * RATE:
                    self._chapters.popleft()
            case _:
                self._add(replace(event, time=now))

    def _add(self, event: TakeEvent) -> None:
        chapter = self._chapters[-1]
        chapter.events.append(event)
        chapter.weight += _EVENTS_OF_AN_EDIT if isinstance(event, EditDocument) else 1
        gesture = gesture_of(event)
        if chapter.first_note is None and gesture is not None and gesture.kind == "on":
            chapter.first_note = event.time
        for told in self.listeners:
            told(event)
        if chapter.weight >= self._most:
            # so much without a silence: it goes on from keys struck anew
            self._chapters = deque([self._chapter(exact=False)])
            self._chapters[-1].first_note = self.now

    def _chapter(self, *, exact: bool) -> _Chapter:
        engine, now = self._engine, self._engine.now
        held = engine.held()
        held += [] if exact else engine.keys_down()
        opening = [cast(TakeEvent, replace(one, time=now)) for one in held]
        return _Chapter(
            self._document, engine.moved_since(self._compiled),
            opening, now, engine.serial, exact,
        )  # fmt: skip

    def _from(self, start: int) -> list[_Chapter]:
        """The chapters from the one that a moment lies in."""
        after = [one for one in self._chapters if one.start > start]
        return (
            list(self._chapters)[-len(after) - 1 :] if len(after) < len(self._chapters) else after
        )
