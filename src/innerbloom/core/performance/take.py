"""A take: what the hands did, what it began with, and how long it sounded.

A take holds no sound of its own. It says all that an engine needs to make the very same samples
again: an instrument's document, controls that stood elsewhere than in it, and the events.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace
from itertools import islice
from typing import Any, get_args

import jsonpatch

from innerbloom.core.declare.sound import recordings_in
from innerbloom.core.dsp.rates import RATE as RATE
from innerbloom.core.errors import PerformanceError
from innerbloom.core.performance.events import (
    Event,
    EventKind,
    OfPlayer,
    Recall,
    Renew,
    SetParameter,
)
from innerbloom.core.performance.sharing import differences

Plain = dict[str, Any]
Moved = tuple[str, str, float]
"""Owner, parameter, and where the control stands as the engine holds it."""

_MOST_PATCHED = 200
"""An edit of more operations than this is written as the whole document."""

_GESTURES = frozenset(get_args(EventKind))


@dataclass(frozen=True, slots=True)
class EditDocument:
    """The instrument is edited: ``document`` is what it is from then on, as plain data."""

    document: Plain
    time: int = 0


@dataclass(frozen=True, slots=True)
class Mark:
    """The player said: that was good."""

    time: int = 0


TakeEvent = Event | SetParameter | Recall | OfPlayer | EditDocument | Renew | Mark


@dataclass(frozen=True)
class Take:
    """A performance.

    Attributes
    ----------
    document : dict
        The instrument it begins with.
    moved : tuple of (owner, parameter, value)
        Controls that stood elsewhere than the document says.
    events : tuple of TakeEvent
        In order; times in frames at 48 kHz since the stream began.
    lead_in : int
        Frames of the stream before the take's sound begins: what sounded on from before. All
        events have to be played for the sound to be the same.
    frames : int
        Length of the sound.
    serial : int
        Voices struck before the stream began; see :class:`.Renew`.
    exact : bool
        Whether the stream began in silence, so that it replays to the very same samples.
    """

    document: Plain
    moved: tuple[Moved, ...] = ()
    events: tuple[TakeEvent, ...] = ()
    lead_in: int = 0
    frames: int = 0
    serial: int = 0
    exact: bool = True

    @property
    def seconds(self) -> float:
        """Length of the sound in seconds."""
        return self.frames / RATE

    def marks(self) -> list[float]:
        """Moments of the sound that the player marked, in seconds."""
        times = (one.time - self.lead_in for one in self.events if isinstance(one, Mark))
        return [time / RATE for time in times if 0 <= time <= self.frames]

    def documents(self) -> Iterator[Plain]:
        """Every document that sounds in it, the first first."""
        yield self.document
        for event in self.events:
            if isinstance(event, EditDocument):
                yield event.document

    def recordings(self) -> set[str]:
        """Hashes of all recordings that it plays."""
        return {digest for one in self.documents() for digest in recordings_in(one)}


# -- as lines of JSON ------------------------------------------------------------


@dataclass
class EventWriter:
    """Turns events into lines of JSON; an edit is told as a JSON Patch on the document before.

    Attributes
    ----------
    document : dict
        What the next edit is told against.
    """

    document: Plain = field(default_factory=dict)

    def line(self, event: TakeEvent) -> str:
        """One event as one line, without the line's end."""
        return json.dumps(self._plain(event), separators=(",", ":"))

    def _plain(self, event: TakeEvent) -> Plain:
        match event:
            case SetParameter():
                return {"at": event.time, "do": "set", "owner": event.owner,
                        "parameter": event.parameter, "value": event.value}  # fmt: skip
            case OfPlayer():
                return self._plain(event.at()) | {"player": event.player}
            case Recall():
                return {"at": event.time, "do": "recall", "snapshot": event.snapshot}
            case Renew():
                return {"at": event.time, "do": "renew", "serial": event.serial}
            case Mark():
                return {"at": event.time, "do": "mark"}
            case EditDocument():
                return self._edit(event)
        told: Plain = {"at": event.time, "do": event.kind}
        if event.note:
            told["note"] = event.note
        if event.kind in ("on", "off"):
            told["key"] = event.key
        return told | {"value": event.value}

    def _edit(self, event: EditDocument) -> Plain:
        found = differences(self.document, event.document)
        patch = list(islice(found, _MOST_PATCHED + 1))
        self.document = event.document
        if len(patch) > _MOST_PATCHED:
            return {"at": event.time, "do": "edit", "document": event.document}
        return {"at": event.time, "do": "edit", "patch": patch}


def read_events(lines: Iterable[str], document: Plain) -> tuple[list[TakeEvent], int]:
    """Events from lines of JSON, and how many lines could not be read.

    A last line that a crash cut short is left out, and any other that says nothing known.

    Parameters
    ----------
    document : dict
        What the first edit is told against.
    """
    events: list[TakeEvent] = []
    lost = 0
    for line in lines:
        if not line.strip():
            continue
        try:
            event = _event(json.loads(line), document)
        except (ValueError, KeyError, TypeError, jsonpatch.JsonPatchException,
                jsonpatch.JsonPointerException):  # fmt: skip
            lost += 1
            continue
        if isinstance(event, EditDocument):
            document = event.document
        events.append(event)
    return events, lost


def _event(told: Plain, document: Plain) -> TakeEvent:
    if "player" in told:
        inner = {key: value for key, value in told.items() if key != "player"}
        return OfPlayer.of(str(told["player"]), _event(inner, document))
    at, what = int(told["at"]), told["do"]
    if what == "set":
        return SetParameter(str(told["owner"]), str(told["parameter"]), told["value"], at)
    if what == "renew":
        return Renew(int(told["serial"]), at)
    if what == "recall":
        return Recall(str(told["snapshot"]), at)
    if what == "mark":
        return Mark(at)
    if what == "edit":
        whole = told.get("document")
        return EditDocument(whole or jsonpatch.apply_patch(document, told["patch"]), at)
    if what not in _GESTURES:
        raise ValueError(what)
    key = float(told.get("key", 60.0))
    return Event(what, int(told.get("note", 0)), key, float(told.get("value", 0.0)), at)


# -- parts of takes --------------------------------------------------------------


def until(take: Take, frames: int) -> Take:
    """The beginning of a take, so many frames of its sound."""
    frames = max(0, min(frames, take.frames))
    kept = tuple(one for one in take.events if one.time <= take.lead_in + frames)
    return replace(take, events=kept, frames=frames)


def starting_at(take: Take, frames: int) -> Take:
    """The same stream, of which the sound begins so many frames later."""
    frames = max(0, min(frames, take.frames))
    return replace(take, lead_in=take.lead_in + frames, frames=take.frames - frames)


def stretch_of(take: Take, start_s: float, end_s: float) -> Take:
    """What is heard between two moments in seconds, with all that led to it.

    Raises
    ------
    PerformanceError
        If there is nothing between them.
    """
    start, end = round(start_s * RATE), round(min(end_s, take.seconds) * RATE)
    if not 0 <= start < end:
        raise PerformanceError("That stretch lies outside the take: choose one inside it.")
    return starting_at(until(take, end), start)
