"""What hands do in a stretch of a take, as a performance of its own: transposed, harder or softer."""

from __future__ import annotations

from dataclasses import replace

from innerbloom.core.performance.events import Event
from innerbloom.core.performance.hands import by_hands
from innerbloom.core.performance.take import RATE, Take

_OF_A_NOTE = ("off", "bend", "slide", "pressure")


def gestures_in(take: Take, start_s: float, seconds: float) -> tuple[Event, ...]:
    """The gestures of a stretch, its beginning at 0.

    Notes that begin in it are played and end with it at the latest; pedals, controllers and the pad
    begin as they stand there. What the hands moved on the instrument itself is not among them.

    Parameters
    ----------
    start_s, seconds : float
        In seconds of the take's sound.
    """
    start = take.lead_in + round(start_s * RATE)
    end = start + round(seconds * RATE)
    begun: dict[int, Event] = {}
    stands: dict[tuple[str, int], Event] = {}
    found: list[Event] = []
    for event in by_hands(take).events:
        if not isinstance(event, Event) or event.time >= end:
            continue
        at = replace(event, time=event.time - start)
        if event.time < start:
            if event.kind not in ("on", "panic", *_OF_A_NOTE):
                stands[event.kind, event.note] = replace(at, time=0)
        elif event.kind == "on":
            begun[event.note] = at
            found.append(at)
        elif event.kind not in _OF_A_NOTE or event.note in begun:
            found.append(at)
            if event.kind == "off":
                begun.pop(event.note)
    ends = [replace(one, kind="off", value=0.3, time=end - start) for one in begun.values()]
    return (*stands.values(), *found, *ends)


def varied(gestures: tuple[Event, ...], semitones: float, velocity: float) -> list[Event]:
    """Gestures with their notes transposed, and struck so many times as hard."""
    return [
        replace(one, key=one.key + semitones, value=min(1.0, max(1.0 / 127.0, one.value * velocity)))
        if one.kind == "on" else one
        for one in gestures
    ]  # fmt: skip
