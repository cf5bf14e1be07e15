"""Events from MIDI: messages as they come, and whole Standard MIDI Files (SMF 1.0).

MPE follows RP-053: an MPE Configuration Message (RPN 6 on channel 1 or 16) makes a zone of
member channels, each with one note at a time, which bends by 48 semitones, presses (channel
pressure) and slides (controller 74) on its own; what the manager channel does goes to all notes
of its zone.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from io import BytesIO

import mido
from mido.midifiles.meta import KeySignatureError

from innerbloom.core.errors import PerformanceError
from innerbloom.core.performance.events import Event
from innerbloom.core.refusing import refusing

BEND_CENTRE = 8192
SUSTAIN_PEDAL, SOSTENUTO_PEDAL, SLIDE = 64, 66, 74
LONGEST_S = 3_600.0
MEMBER_BEND, MANAGER_BEND = 48.0, 2.0
"""Bend ranges of a zone until told otherwise, in semitones (RP-053)."""

_DATA, _RPN_LOW, _RPN_HIGH, _RESET = 6, 100, 101, 121
_SILENCERS = (120, 123)
_RPN_BEND, _RPN_ZONE = 0, 6
LOWER_MANAGER, UPPER_MANAGER = 0, 15


@dataclass
class _Channel:
    """What has last been said on one channel."""

    bend: float = 0.0  # share of the range, -1..1
    pressure: float = 0.0
    slide: float = 0.0
    bend_range: float | None = None
    rpn: tuple[int, int] = (127, 127)
    notes: dict[int, list[int]] = field(default_factory=dict)


class MidiReader:
    """Turns messages into events, following which notes sound on which channel.

    Parameters
    ----------
    bend_range : float
        Semitones at a full turn of the bend wheel, outside MPE zones.
    first_note : int
        The id of the first note; later ones count up.
    """

    def __init__(self, bend_range: float, first_note: int = 1) -> None:
        self.bend_range = bend_range
        self.members = {LOWER_MANAGER: 0, UPPER_MANAGER: 0}
        self._channels = [_Channel() for _ in range(16)]
        self._next = first_note

    def take(self, message: mido.Message, time: int) -> list[Event]:
        """The events of one message, at a time in frames, with its channel outside MPE zones."""
        channel = getattr(message, "channel", 0)
        events = self._taken(message, channel, time)
        of_zone = self._is_manager(channel) or self._manager_of(channel) is not None
        return events if of_zone else [replace(one, channel=channel + 1) for one in events]

    def _taken(self, message: mido.Message, channel: int, time: int) -> list[Event]:
        match message.type:
            case "note_on" if message.velocity > 0:
                return self._start(channel, message.note, message.velocity / 127.0, time)
            case "note_on" | "note_off":
                return self._end(channel, message.note, message.velocity / 127.0, time)
            case "pitchwheel":
                self._channels[channel].bend = message.pitch / BEND_CENTRE
                return self._to_notes("bend", channel, time)
            case "aftertouch":
                self._channels[channel].pressure = message.value / 127.0
                return self._to_notes("pressure", channel, time)
            case "polytouch":
                value = message.value / 127.0
                notes = self._channels[channel].notes.get(message.note, [])
                return [Event("pressure", note, value=value, time=time) for note in notes]
            case "control_change":
                return self._control(channel, message.control, message.value, time)
        return []

    def take_bytes(self, data: bytes, time: int) -> list[Event]:
        """The events of one message as bytes; anything that is no message gives none."""
        try:
            message = mido.Message.from_bytes(list(data))
        except (ValueError, TypeError, IndexError):
            return []
        return self.take(message, time)

    # -- zones -----------------------------------------------------------------

    def _manager_of(self, channel: int) -> int | None:
        """The manager of the zone a channel belongs to as a member; None outside zones."""
        if 1 <= channel <= self.members[LOWER_MANAGER]:
            return LOWER_MANAGER
        if 15 - self.members[UPPER_MANAGER] <= channel <= 14:
            return UPPER_MANAGER
        return None

    def _is_manager(self, channel: int) -> bool:
        return self.members.get(channel, 0) > 0

    def _set_zone(self, manager: int, members: int, time: int) -> list[Event]:
        self.members[manager] = min(15, members)
        other = UPPER_MANAGER if manager == LOWER_MANAGER else LOWER_MANAGER
        # the newer zone takes channels from the older one
        self.members[other] = max(0, min(self.members[other], 14 - self.members[manager]))
        ended = [
            Event("off", note, time=time)
            for channel in self._channels
            for notes in channel.notes.values()
            for note in notes
        ]
        self._channels = [_Channel() for _ in range(16)]
        return ended

    def _bend_of(self, channel: int) -> float:
        """Semitones that a channel's notes are bent."""
        state, manager = self._channels[channel], self._manager_of(channel)
        if manager is None:
            default = MANAGER_BEND if self._is_manager(channel) else self.bend_range
            return state.bend * (default if state.bend_range is None else state.bend_range)
        # all members share one range: the last that any of them was given
        own = MEMBER_BEND if state.bend_range is None else state.bend_range
        return state.bend * own + self._bend_of(manager)

    def _value_of(self, kind: str, channel: int) -> float:
        if kind == "bend":
            return self._bend_of(channel)
        own: float = getattr(self._channels[channel], kind)
        manager = self._manager_of(channel)
        if manager is None:
            return own
        # what the manager does adds to what the note does
        return min(1.0, own + float(getattr(self._channels[manager], kind)))

    def _heard_on(self, channel: int) -> list[int]:
        """Channels whose notes a message on this channel is for."""
        if not self._is_manager(channel):
            return [channel]
        return [channel, *(c for c in range(16) if self._manager_of(c) == channel)]

    # -- messages --------------------------------------------------------------

    def _start(self, channel: int, key: int, velocity: float, time: int) -> list[Event]:
        note, self._next = self._next, self._next + 1
        self._channels[channel].notes.setdefault(key, []).append(note)
        events = [Event("on", note, float(key), velocity, time)]
        for kind in ("bend", "pressure", "slide"):
            value = self._value_of(kind, channel)
            if value:
                events.append(Event(kind, note, value=value, time=time))  # type: ignore[arg-type]
        return events

    def _end(self, channel: int, key: int, velocity: float, time: int) -> list[Event]:
        notes = self._channels[channel].notes.get(key)
        return [Event("off", notes.pop(0), float(key), velocity, time)] if notes else []

    def _to_notes(self, kind: str, channel: int, time: int) -> list[Event]:
        return [
            Event(kind, note, value=self._value_of(kind, heard), time=time)  # type: ignore[arg-type]
            for heard in self._heard_on(channel)
            for notes in self._channels[heard].notes.values()
            for note in notes
        ]

    def _control(self, channel: int, control: int, value: int, time: int) -> list[Event]:
        state = self._channels[channel]
        share = value / 127.0
        if control == _RPN_HIGH:
            state.rpn = (value, state.rpn[1])
        elif control == _RPN_LOW:
            state.rpn = (state.rpn[0], value)
        elif control == _DATA and state.rpn[0] == 0:
            return self._parameter(channel, state.rpn[1], value, time)
        elif control in _SILENCERS:
            for one in self._channels:
                one.notes.clear()
            return [Event("panic", time=time)]
        elif control == SUSTAIN_PEDAL:
            return [Event("hold", value=float(share >= 0.5), time=time)]
        elif control == SOSTENUTO_PEDAL:
            return [Event("sostenuto", value=float(share >= 0.5), time=time)]
        elif control == _RESET:
            state.bend = state.pressure = state.slide = 0.0
            return [
                e
                for kind in ("bend", "pressure", "slide")
                for e in self._to_notes(kind, channel, time)
            ]
        elif control == SLIDE:
            state.slide = share
            moved = self._to_notes("slide", channel, time)
            return [Event("control", control, value=share, time=time), *moved]
        else:
            return [Event("control", control, value=share, time=time)]
        return []

    def _parameter(self, channel: int, number: int, value: int, time: int) -> list[Event]:
        if number == _RPN_ZONE and channel in self.members:
            return self._set_zone(channel, value, time)
        if number == _RPN_BEND:
            manager = self._manager_of(channel)
            # a range sent to one member holds for all of its zone
            same = (
                [channel]
                if manager is None
                else [c for c in range(16) if self._manager_of(c) == manager]
            )
            for one in same:
                self._channels[one].bend_range = float(value)
        return []


_FRAME_RATES = {24: 24.0, 25: 25.0, 29: 30_000 / 1_001, 30: 30.0}
"""By what a file says in SMPTE division: 29 is 30 with dropped frames."""


def _timed(data: bytes) -> list[mido.Message]:
    """Messages of all tracks in their order, ``time`` being seconds since the one before.

    A division below zero counts parts of a frame instead of a beat, whatever the tempo (Standard MIDI
    Files 1.0, MIDI Manufacturers Association 1996, *Header chunks*); mido knows beats only.
    """
    if data[:4] == b"MThd" and data[8:10] == b"\0\2":
        raise PerformanceError(
            "The MIDI file is of type 2, whose tracks are pieces of their own: export it as type 0 or 1."
        )
    file = mido.MidiFile(file=BytesIO(data))
    frames, parts = data[12], data[13]
    if frames < 128:
        return list(file)
    ticks_a_second = _FRAME_RATES[256 - frames] * parts
    messages = mido.merge_tracks(file.tracks)
    return [one.copy(time=one.time / ticks_a_second) for one in messages]


MOST_BYTES = 1_000_000
"""Of a MIDI file: some hundred thousand messages, which take seconds to read."""


def events_from_midi(data: bytes, rate: int, bend_range: float) -> list[Event]:
    """All channels of a file as events.

    Parameters
    ----------
    data : bytes
        The file.
    rate : int
        Frames a second in Hz.
    bend_range : float
        Semitones at a full turn of the bend wheel, outside MPE zones.

    Raises
    ------
    PerformanceError
        If the file cannot be read, is larger than :data:`MOST_BYTES`, has no notes, or lasts more than an hour.
    """
    if len(data) > MOST_BYTES:
        raise PerformanceError(
            f"The MIDI file has {len(data) / 1e6:.1f} MB; {MOST_BYTES / 1e6:.0f} is the most."
        )
    damaged = "This is not a MIDI file that can be read."
    with refusing(damaged, PerformanceError, (KeySignatureError,)):
        messages = _timed(data)
    reader = MidiReader(bend_range)
    events: list[Event] = []
    seconds = 0.0
    for message in messages:
        seconds += message.time
        if seconds > LONGEST_S:
            raise PerformanceError("The MIDI file lasts more than an hour: render it in parts.")
        if not message.is_meta:
            events += reader.take(message, round(seconds * rate))
    if not any(event.kind == "on" for event in events):
        raise PerformanceError("The MIDI file has no notes in it.")
    return events
