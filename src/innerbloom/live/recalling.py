"""Snapshots recalled in a session: at once, or when the next beat or bar comes."""

from __future__ import annotations

from innerbloom.core.deliver.playable import AnyEngine
from innerbloom.core.engine import Engine
from innerbloom.core.performance.beat import BEATS_IN_A_BAR, BeatClock
from innerbloom.core.performance.events import Recall
from innerbloom.live import messages as m
from innerbloom.live.answers import Answer, problem


class SessionRecalls:
    """What is to be recalled, and has been.

    Beats count from the session's first frame, in the instrument's tempo.
    """

    def __init__(self) -> None:
        self._clock: BeatClock | None = None
        self._due: list[Recall] = []

    @property
    def waiting(self) -> str | None:
        """The snapshot that is waited for last."""
        return self._due[-1].snapshot if self._due else None

    def ask(self, message: m.Recall, engine: AnyEngine | None) -> Answer | None:
        """Put a recall into the stream."""
        if engine is None:
            # the instrument is on its way: it comes as the page then has it
            return {"is": "recalled", "snapshot": message.snapshot}
        known = isinstance(engine, Engine) and engine.section.program.snapshots.states
        if not known or message.snapshot not in known:
            return problem("This snapshot is no longer there.")
        at = engine.now
        if message.at != "once":
            every = BEATS_IN_A_BAR if message.at == "bar" else 1
            at = self._beats(engine).next_frame(at, every)
        event = Recall(message.snapshot, at)
        engine.render(0, [event])
        self._due.append(event)
        return None

    def _beats(self, engine: AnyEngine) -> BeatClock:
        tempo = engine.tempo
        if self._clock is None:
            self._clock = BeatClock(tempo)
        self._clock.set_tempo(tempo, engine.now)
        return self._clock

    def done(self, engine: AnyEngine | None) -> list[Answer]:
        """What has been gone into since the last call."""
        now = 0 if engine is None else engine.now
        done = [one for one in self._due if one.time < now]
        self._due = [one for one in self._due if one.time >= now]
        return [{"is": "recalled", "snapshot": one.snapshot} for one in done]
