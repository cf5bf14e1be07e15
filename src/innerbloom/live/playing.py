"""What is played in a session on its way to the engine: keys, which may become a phrase."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from innerbloom.core.declare.validation import validated
from innerbloom.core.deliver.playable import AnyEngine
from innerbloom.core.engine import Engine
from innerbloom.core.errors import BloomError
from innerbloom.core.performance.events import Event
from innerbloom.core.performance.phrase import Phrase
from innerbloom.core.performance.phrase_settings import PhraseSettings
from innerbloom.live.answers import Problem, problem


class SessionPhrase:
    """The play strip's phrase: for an instrument; players of an ensemble have their own."""

    def __init__(self) -> None:
        self._phrase = Phrase()

    def configure(self, settings: dict[str, Any], engine: AnyEngine | None) -> Problem | None:
        """Other settings, from now on."""
        try:
            wanted = validated(PhraseSettings, settings, "phrase")
        except BloomError as error:
            return problem(str(error))
        now = 0 if engine is None else engine.now
        ended = self._phrase.configure(wanted, now)
        if isinstance(engine, Engine):
            engine.render(0, ended)
        return None

    def begin_anew(self) -> None:
        """Another engine is played, whose time begins at 0: no key of before is in the pattern."""
        self._phrase = Phrase(self._phrase.settings)

    def play(self, events: Iterable[Event], engine: AnyEngine) -> None:
        """Pass on what is played now."""
        if isinstance(engine, Engine):
            engine.render(0, self._phrase.play(events, engine.now))
        else:
            engine.render(0, events)

    def walk(self, engine: AnyEngine, frames: int) -> None:
        """What the phrase does in the next frames."""
        if isinstance(engine, Engine):
            self._phrase.set_tempo(engine.tempo, engine.now)
            engine.render(0, self._phrase.play([], engine.now + frames))
