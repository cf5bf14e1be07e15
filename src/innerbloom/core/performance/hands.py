"""Changing the hands of a take: edits that are kept as they were said, and applied in order.

The events that were recorded are never altered: a take with its edits gives another take.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from itertools import pairwise
from typing import Annotated, Any, Literal, cast

from pydantic import Field

from innerbloom.core.declare.model import Model
from innerbloom.core.performance.events import (
    Event,
    OfPlayer,
    Renew,
    gesture_of,
    player_of,
    with_gesture,
)
from innerbloom.core.performance.lanes import NOTES, OF_A_NOTE, PAD, PlayedNote, lane_of, notes_of
from innerbloom.core.performance.take import (
    RATE,
    EditDocument,
    Mark,
    Take,
    TakeEvent,
    read_events,
)

Seconds = Annotated[float, Field(ge=0, le=86_400)]
Lane = Annotated[str, Field(min_length=1, max_length=60)]

_COPIES_FROM = 1 << 29
"""Notes that are copied count from here."""

_DRAWN_EVERY = RATE // 100


class Select(Model):
    """What of the hands is meant: a stretch, a range of keys, and the lanes in it.

    Notes are meant by where they begin.
    """

    start: Seconds = 0.0
    end: Seconds = 86_400.0
    low: float = Field(default=0, ge=0, le=127)
    high: float = Field(default=127, ge=0, le=127)
    lanes: list[Lane] = Field(default=[NOTES], max_length=60)


class Move(Model):
    """Earlier or later, higher or lower."""

    do: Literal["move"]
    select: Select
    seconds: float = Field(default=0, ge=-86_400, le=86_400)
    semitones: float = Field(default=0, ge=-127, le=127)


class Remove(Model):
    do: Literal["remove"]
    select: Select


class Copy(Model):
    """The same once more, later or earlier."""

    do: Literal["copy"]
    select: Select
    seconds: float = Field(ge=-86_400, le=86_400)


class Stretch(Model):
    """Slower or faster, from the beginning of the stretch on; the keys stay."""

    do: Literal["stretch"]
    select: Select
    factor: float = Field(ge=0.1, le=10)


class Quantise(Model):
    """Beginnings drawn to a grid, all the way (100 %) or part of it."""

    do: Literal["quantise"]
    select: Select
    grid: float = Field(gt=0.005, le=60)
    amount: float = Field(default=100, ge=0, le=100)


class Draw(Model):
    """A lane drawn again: ``points`` of seconds and value, straight between them."""

    do: Literal["draw"]
    lane: Lane
    points: list[tuple[Seconds, float]] = Field(min_length=1, max_length=4_000)


class Overdub(Model):
    """Lanes played again from one moment to another; ``events`` are lines as takes hold them, at
    times from the beginning of this take's sound."""

    do: Literal["overdub"]
    lanes: list[Lane] = Field(min_length=1, max_length=60)
    start: Seconds
    end: Seconds
    events: list[str] = Field(max_length=200_000)


HandEdit = Annotated[
    Move | Remove | Copy | Stretch | Quantise | Draw | Overdub, Field(discriminator="do")
]


def edited(take: Take, edits: Iterable[Any]) -> Take:
    """A take with edits made, one after another; without any the very same take."""
    for edit in edits:
        take = _APPLY[edit.do](loosened(take), edit)
    return take


def loosened(take: Take) -> Take:
    """A take in which nothing begins anew, as what once was a silence may not be one any more."""
    kept = tuple(one for one in take.events if not isinstance(one, Renew))
    return take if len(kept) == len(take.events) else replace(take, events=kept)


def by_hands(take: Take) -> Take:
    """A take of an ensemble as though one instrument had played it: notes of all players at once."""
    players = {one.player: None for one in take.events if isinstance(one, OfPlayer)}
    if not players:
        return take
    numbers = {player: number for number, player in enumerate(players)}
    events: list[TakeEvent] = []
    for one in take.events:
        if not isinstance(one, OfPlayer):
            events.append(one)
            continue
        event = one.at()
        of_note = isinstance(event, Event) and event.kind in ("on", "off", *OF_A_NOTE)
        if of_note:
            # two players may have given one number to two notes
            event = replace(event, note=event.note * len(players) + numbers[one.player])
        if of_note or numbers[one.player] == 0:
            # pedals and controllers were for all of them
            events.append(event)
    return replace(take, events=tuple(events))


def at_tempo(take: Take, factor: float) -> Take:
    """Everything so many times as slow: times change, pitches and values stay.

    Examples
    --------
    >>> at_tempo(take, 2.0).seconds == 2.0 * take.seconds
    True
    """
    take = loosened(take)
    events = tuple(replace(one, time=round(one.time * factor)) for one in take.events)
    lead_in = round(take.lead_in * factor)
    return replace(take, events=events, lead_in=lead_in, frames=round(take.frames * factor))


def without(take: Take, lanes: Iterable[str], start_s: float = 0.0) -> list[TakeEvent]:
    """The gestures of a take from a moment on, but for some lanes; times count from that moment.

    Keys that are down then are struck as it begins. Edits of the instrument are left out.
    """
    missing, start = set(lanes), _frame(take, start_s)
    found: list[TakeEvent] = []
    for note in notes_of(take):
        if NOTES not in missing and note.start < start_s < note.end:
            struck = Event("on", note.note, note.key, note.velocity, 0)
            found.append(OfPlayer.of(note.player, struck) if note.player else struck)
    for event in take.events:
        lane = lane_of(event)
        if lane is not None and lane not in missing and event.time >= start:
            found.append(replace(event, time=event.time - start))
    return found


# -- what is meant -----------------------------------------------------------------


def _selected(take: Take, select: Select) -> list[PlayedNote]:
    if NOTES not in select.lanes:
        return []
    return [
        one for one in notes_of(take)
        if select.start <= one.start < select.end and select.low <= one.key <= select.high
    ]  # fmt: skip


def _places(take: Take, select: Select) -> dict[int, PlayedNote | None]:
    """Places of all events that are meant, with the note each belongs to."""
    found: dict[int, PlayedNote | None] = {}
    for one in _selected(take, select):
        for place in range(one.first, one.last + 1):
            event = take.events[place]
            gesture = gesture_of(event)
            same = gesture is not None and (player_of(event), gesture.note) == (
                one.player,
                one.note,
            )
            if same and lane_of(event) == NOTES:
                found[place] = one
    start, end = _frame(take, select.start), _frame(take, select.end)
    others = set(select.lanes) - {NOTES}
    for place, event in enumerate(take.events):
        if lane_of(event) in others and start <= event.time < end:
            found[place] = None
    return found


def _frame(take: Take, seconds: float) -> int:
    return take.lead_in + round(seconds * RATE)


def _in_order(take: Take, events: Iterable[TakeEvent]) -> Take:
    """A take with other events, as long as it was, or longer if they need it."""
    ordered = tuple(sorted(events, key=lambda one: one.time))
    last = max((one.time for one in ordered if not isinstance(one, Mark | EditDocument)), default=0)
    return replace(take, events=ordered, frames=max(take.frames, last - take.lead_in))


def _changed(
    take: Take, select: Select, change: Callable[[TakeEvent, PlayedNote | None], TakeEvent]
) -> Take:
    places = _places(take, select)
    return _in_order(
        take,
        (change(one, places[i]) if i in places else one for i, one in enumerate(take.events)),
    )


def _later(take: Take, event: TakeEvent, frames: int) -> TakeEvent:
    return replace(event, time=max(take.lead_in, event.time + frames))


# -- what is done ------------------------------------------------------------------


def _move(take: Take, edit: Move) -> Take:
    # a note keeps its length where it would begin before the take
    earliest = min((one.start for one in _selected(take, edit.select)), default=0.0)
    by = round(max(edit.seconds, -earliest) * RATE)

    def moved(event: TakeEvent, note: PlayedNote | None) -> TakeEvent:
        event = _later(take, event, by)
        gesture = gesture_of(event)
        if note is not None and gesture is not None and gesture.kind in ("on", "off"):
            key = min(127.0, max(0.0, gesture.key + edit.semitones))
            return cast(TakeEvent, with_gesture(event, key=key))
        return event

    return _changed(take, edit.select, moved)


def _remove(take: Take, edit: Remove) -> Take:
    places = _places(take, edit.select)
    return _in_order(take, (one for i, one in enumerate(take.events) if i not in places))


def _copy(take: Take, edit: Copy) -> Take:
    by = round(edit.seconds * RATE)
    used = [one.note for one in map(gesture_of, take.events) if one is not None]
    free = max(_COPIES_FROM, 1 + max(used, default=0))
    ids: dict[int, int] = {}
    copies: list[TakeEvent] = []
    for place, note in _places(take, edit.select).items():
        event = _later(take, take.events[place], by)
        if note is not None:
            event = with_gesture(event, note=ids.setdefault(note.first, free + len(ids)))
        copies.append(event)
    return _in_order(take, (*take.events, *copies))


def _stretch(take: Take, edit: Stretch) -> Take:
    start = _frame(take, edit.select.start)

    def stretched(event: TakeEvent, _: PlayedNote | None) -> TakeEvent:
        return replace(event, time=start + round((event.time - start) * edit.factor))

    return _changed(take, edit.select, stretched)


def _quantise(take: Take, edit: Quantise) -> Take:
    share = edit.amount / 100.0

    def drawn(event: TakeEvent, note: PlayedNote | None) -> TakeEvent:
        at = (event.time - take.lead_in) / RATE if note is None else note.start
        nearest = edit.grid * round(at / edit.grid)
        return _later(take, event, round(share * (nearest - at) * RATE))

    return _changed(take, edit.select, drawn)


def _draw(take: Take, edit: Draw) -> Take:
    points = sorted(edit.points)
    start, end = _frame(take, points[0][0]), _frame(take, points[-1][0])
    # in an ensemble each player has the lane
    examples = {player_of(one): one for one in take.events if _drawn_lane(one) == edit.lane}
    kept = [
        one for one in take.events if _drawn_lane(one) != edit.lane or not start <= one.time <= end
    ]
    drawn = []
    for time in (*range(start, end, _DRAWN_EVERY), end):
        value = _between(points, (time - take.lead_in) / RATE)
        drawn += [_at_value(one, time, value) for one in examples.values()]
    return _in_order(take, (*kept, *drawn))


def _at_value(event: TakeEvent, time: int, value: float) -> TakeEvent:
    if gesture_of(event) is None:
        return replace(event, time=time, value=value)  # type: ignore[call-arg, arg-type]
    return replace(cast(TakeEvent, with_gesture(event, value=value)), time=time)


def _drawn_lane(event: TakeEvent) -> str | None:
    """The lane as it is drawn: the pad has one for each direction."""
    lane = lane_of(event)
    gesture = gesture_of(event)
    if lane == PAD and gesture is not None:
        return gesture.kind
    return None if lane == NOTES else lane


def _between(points: list[tuple[float, float]], at: float) -> float:
    for (t0, v0), (t1, v1) in pairwise(points):
        if at <= t1:
            return v0 + (v1 - v0) * min(1.0, max(0.0, (at - t0) / max(t1 - t0, 1e-9)))
    return points[-1][1]


def _overdub(take: Take, edit: Overdub) -> Take:
    start, end = _frame(take, edit.start), _frame(take, edit.end)
    lanes = set(edit.lanes)
    places = _places(take, Select(start=edit.start, end=edit.end, lanes=edit.lanes))
    kept = [one for i, one in enumerate(take.events) if i not in places]
    played, _ = read_events(edit.events, take.document)
    fresh = [_later(take, one, take.lead_in) for one in played if lane_of(one) in lanes]
    return _in_order(take, (*kept, *(one for one in fresh if start <= one.time <= end)))


_APPLY: dict[str, Callable[[Take, Any], Take]] = {
    "move": _move, "remove": _remove, "copy": _copy, "stretch": _stretch, "quantise": _quantise,
    "draw": _draw, "overdub": _overdub,
}  # fmt: skip


def _amount(edit: Move) -> str:
    parts = [f"{edit.seconds:+.2f} s"] if edit.seconds else []
    parts += [f"{edit.semitones:+g} semitones"] if edit.semitones else []
    return " and ".join(parts) or "nowhere"


def sentence_of(edit: Any) -> str:
    """What an edit says."""
    what = {"move": lambda: f"moved by {_amount(edit)}", "remove": lambda: "taken away",
            "copy": lambda: f"copied by {edit.seconds:+.2f} s",
            "stretch": lambda: f"made {edit.factor:g} times as long",
            "quantise": lambda: f"drawn to a grid of {edit.grid:.3g} s by {edit.amount:g} %"}  # fmt: skip
    if edit.do == "draw":
        return f"{edit.lane} drawn again"
    if edit.do == "overdub":
        return f"{', '.join(edit.lanes)} played again, {edit.start:.1f} to {edit.end:.1f} s"
    return f"{', '.join(edit.select.lanes)} {what[edit.do]()}"
