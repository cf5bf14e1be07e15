"""Recording what happens to an engine, as a stream that replays from zero.

An engine's time counts from its start; a stream's from the moment it began to be recorded. So a
stream taken in the middle of a session plays by itself, in any engine.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import numpy as np

from innerbloom.core.engine.program import Program
from innerbloom.core.instrument.catalogue import CONTROLLERS
from innerbloom.core.performance.events import AnyEvent, Event
from innerbloom.core.performance.take import Moved

if TYPE_CHECKING:
    from innerbloom.core.engine.engine import Engine
    from innerbloom.core.engine.section import Section


@dataclass(frozen=True)
class Stream:
    """What happened in a stretch of playing.

    Attributes
    ----------
    program : Program
        What it began with, controls standing where they stood.
    events : tuple of Event, SetParameter and EditProgram
        In order, times in frames since it began; what was held at that moment comes first.
    frames : int
        How long it is.
    exact : bool
        Whether nothing sounded as it began, so that it replays to the very same samples.

    Examples
    --------
    >>> sound = Engine(stream.program).render(stream.frames, stream.events)
    """

    program: Program
    events: tuple[AnyEvent, ...]
    frames: int
    exact: bool


@dataclass
class Recording:
    """A stream while it is being recorded; made by :meth:`.Engine.record`."""

    engine: Engine
    program: Program
    exact: bool
    start: int
    events: list[AnyEvent] = field(default_factory=list)

    def note(self, event: AnyEvent, now: int) -> None:
        """Take in an event that takes effect at a frame of the engine's time."""
        self.events.append(replace(event, time=now - self.start))

    def stop(self) -> Stream:
        """End the recording; what came is the stream."""
        self.engine.taps.remove(self.note)
        frames = self.engine.now - self.start
        return Stream(self.program, tuple(self.events), frames, self.exact)


def as_it_stands(section: Section) -> Program:
    """The program of a section with every control where it was moved to."""
    row = section.wanted.copy()
    row[section.modulation.program.moves["depth"]] = section.own_depths
    return replace(section.program, layout=replace(section.program.layout, row=row))


def held_by_hand(section: Section) -> list[Event]:
    """Controllers, the pad and pedals as they stand."""
    played, voices = section.modulation.played[-1], section.voices
    events = [
        Event("control", number, value=float(played[number]))
        for number in range(CONTROLLERS)
        if played[number]
    ]
    across, up = section.modulation.pad_now()
    events += [Event("pad_across", value=across)] if across else []
    events += [Event("pad_up", value=up)] if up else []
    events += [Event("hold", value=1.0)] if voices.holding else []
    return events


def moved_from(program: Program, stands: Program) -> tuple[Moved, ...]:
    """Controls that stand elsewhere than a program says, as the engine holds them."""
    found: list[Moved] = []
    layout = program.layout
    for owner, start in layout.starts.items():
        for offset, declared in enumerate(layout.owners[owner].declared):
            value = float(stands.layout.row[start + offset])
            if value != float(layout.row[start + offset]):
                found.append((owner, declared.id, value))
    return tuple(found)


def moved_to(program: Program, moved: tuple[Moved, ...]) -> Program:
    """A program with some controls elsewhere; those it does not have are left out."""
    row = np.array(program.layout.row)
    for owner, parameter, value in moved:
        if program.layout.has(owner, parameter):
            row[program.layout.column(owner, parameter)] = value
    return replace(program, layout=replace(program.layout, row=row))
