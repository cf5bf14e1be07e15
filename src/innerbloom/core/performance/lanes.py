"""The hands of a take as they are read: notes, and lanes of everything else that moves."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from innerbloom.core.performance.events import Event, OfPlayer, SetParameter, gesture_of, player_of
from innerbloom.core.performance.take import RATE, Take, TakeEvent

NOTES, PAD, PEDALS = "notes", "pad", "pedals"
OF_A_NOTE = ("bend", "pressure", "slide")
_OF_PAD = ("pad_across", "pad_up", "pad_let_go")


@dataclass(frozen=True)
class PlayedNote:
    """One note: where it lies in the take's sound, in seconds, and how it was struck.

    Attributes
    ----------
    first, last : int
        Places of its first and last event among the take's events; ``last`` is that of its end,
        or of what last touched it.
    player : str
        Whose it is, in a take of an ensemble.
    """

    note: int
    key: float
    velocity: float
    start: float
    end: float
    first: int
    last: int
    player: str = ""


def lane_of(event: TakeEvent) -> str | None:
    """Which lane an event belongs to; None for edits, marks and the like.

    Examples
    --------
    >>> lane_of(SetParameter("l1", "cutoff", 900.0))
    'l1.cutoff'
    """
    match event:
        case OfPlayer():
            return lane_of(event.event)
        case SetParameter():
            return f"{event.owner}.{event.parameter}"
        case Event(kind="control"):
            return f"control {event.note}"
        case Event(kind="hold" | "sostenuto"):
            return PEDALS
        case Event(kind="on" | "off" | "bend" | "pressure" | "slide"):
            return NOTES
        case Event() if event.kind in _OF_PAD:
            return PAD
    return None


def notes_of(take: Take) -> list[PlayedNote]:
    """All notes in the order in which they begin; those held at the end last until there."""
    found: list[PlayedNote] = []
    sounding: dict[tuple[str, int], tuple[int, int, Event, int]] = {}

    def end(key: tuple[str, int], at: int) -> None:
        first, began, struck, last = sounding.pop(key)
        start, stop = _seconds(take, began), _seconds(take, at)
        found.append(PlayedNote(key[1], struck.key, struck.value, start, stop, first, last, key[0]))

    for place, one in enumerate(take.events):
        event = gesture_of(one)
        if event is None:
            continue
        key = (player_of(one), event.note)
        if event.kind == "on":
            if key in sounding:
                end(key, one.time)
            sounding[key] = (place, one.time, event, place)
        elif event.kind == "panic":
            for other in [other for other in sounding if other[0] == key[0]]:
                end(other, one.time)
        elif key in sounding and event.kind in ("off", *OF_A_NOTE):
            first, began, struck, _ = sounding[key]
            sounding[key] = (first, began, struck, place)
            if event.kind == "off":
                end(key, one.time)
    for key in list(sounding):
        end(key, take.lead_in + take.frames)
    return sorted(found, key=lambda one: (one.start, one.first))


def _seconds(take: Take, time: int) -> float:
    return (time - take.lead_in) / RATE


Points = list[tuple[float, float]]


def lanes_of(take: Take) -> dict[str, Points]:
    """Everything that moves but notes, as (seconds, value), in the order of its first movement.

    The pad has a lane for each direction, and what is done to single notes one for each way: the
    last value that any of them was given.
    """
    lanes: dict[str, Points] = {}
    for name, time, value in _moves(take):
        lanes.setdefault(name, []).append((_seconds(take, time), value))
    return lanes


def range_of(lane: str, values: Sequence[float]) -> tuple[float, float]:
    """Between which values a lane lies: from -1 to 1 of the pad, from 0 to 1 of what has an end, else
    between the ``values`` that it took."""
    if lane.startswith("pad_"):
        return -1.0, 1.0
    if "." not in lane and lane != "bend":
        return 0.0, 1.0
    return min(values), max(values)


def move_of(given: TakeEvent) -> tuple[str, float] | None:
    """The lane that an event moves, each direction of the pad by itself, and to which value."""
    event = given.at() if isinstance(given, OfPlayer) else given
    match event:
        case SetParameter():
            if not isinstance(event.value, str):
                return f"{event.owner}.{event.parameter}", float(event.value)
        case Event(kind="control"):
            return f"control {event.note}", event.value
        case Event(kind="pad_across" | "pad_up" | "bend" | "pressure" | "slide"):
            return event.kind, event.value
        case Event(kind="hold"):
            return PEDALS, event.value
    return None


def _moves(take: Take) -> Iterator[tuple[str, int, float]]:
    for event in take.events:
        moved = move_of(event)
        if moved is not None:
            yield moved[0], event.time, moved[1]


def thinned(points: Points, most: int) -> Points:
    """At most so many points: the last of each stretch, so that nothing comes too early."""
    if len(points) <= most:
        return points
    return [points[(i + 1) * len(points) // most - 1] for i in range(most)]
