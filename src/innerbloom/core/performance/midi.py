"""Events from a Standard MIDI File (SMF 1.0)."""

from __future__ import annotations

from io import BytesIO

import mido

from innerbloom.core.errors import PerformanceError
from innerbloom.core.performance.events import Event

BEND_CENTRE = 8192
SUSTAIN_PEDAL, SLIDE = 64, 74
_SILENCERS = (120, 123)
LONGEST_S = 3_600.0


def events_from_midi(data: bytes, rate: int, bend_range: float) -> list[Event]:
    """All channels of a file as events.

    Parameters
    ----------
    data : bytes
        The file.
    rate : int
        Frames a second in Hz.
    bend_range : float
        Semitones at a full turn of the bend wheel.

    Raises
    ------
    PerformanceError
        If the file cannot be read, has no notes, or lasts more than an hour.
    """
    try:
        file = mido.MidiFile(file=BytesIO(data))
        messages = list(file)
    except (OSError, EOFError, ValueError, KeyError, IndexError, TypeError) as error:
        raise PerformanceError("This is not a MIDI file that can be read.") from error
    reader = _Reader(bend_range)
    seconds = 0.0
    for message in messages:
        seconds += message.time
        if seconds > LONGEST_S:
            raise PerformanceError("The MIDI file lasts more than an hour: render it in parts.")
        if not message.is_meta:
            reader.take(message, round(seconds * rate))
    if not any(event.kind == "on" for event in reader.events):
        raise PerformanceError("The MIDI file has no notes in it.")
    return reader.events


class _Reader:
    """Follows which notes sound on which channel."""

    def __init__(self, bend_range: float) -> None:
        self.events: list[Event] = []
        self._bend_range = bend_range
        self._sounding: dict[tuple[int, int], list[int]] = {}
        self._bends: dict[int, float] = {}
        self._next = 1

    def take(self, message: mido.Message, time: int) -> None:
        channel = getattr(message, "channel", 0)
        match message.type:
            case "note_on" if message.velocity > 0:
                self._start(channel, message.note, message.velocity / 127.0, time)
            case "note_on" | "note_off":
                self._end(channel, message.note, time)
            case "pitchwheel":
                bend = message.pitch / BEND_CENTRE * self._bend_range
                self._bends[channel] = bend
                self._to_channel("bend", channel, bend, time)
            case "aftertouch":
                self._to_channel("pressure", channel, message.value / 127.0, time)
            case "polytouch":
                for note in self._sounding.get((channel, message.note), []):
                    self.events.append(
                        Event("pressure", note, value=message.value / 127.0, time=time)
                    )
            case "control_change":
                self._control(channel, message.control, message.value / 127.0, time)

    def _start(self, channel: int, key: int, velocity: float, time: int) -> None:
        note, self._next = self._next, self._next + 1
        self._sounding.setdefault((channel, key), []).append(note)
        self.events.append(Event("on", note, float(key), velocity, time))
        if self._bends.get(channel):
            self.events.append(Event("bend", note, value=self._bends[channel], time=time))

    def _end(self, channel: int, key: int, time: int) -> None:
        notes = self._sounding.get((channel, key))
        if notes:
            self.events.append(Event("off", notes.pop(0), float(key), 0.0, time))

    def _to_channel(self, kind: str, channel: int, value: float, time: int) -> None:
        for (of, _), notes in self._sounding.items():
            if of == channel:
                self.events.extend(Event(kind, note, value=value, time=time) for note in notes)  # type: ignore[arg-type]

    def _control(self, channel: int, control: int, value: float, time: int) -> None:
        if control == SUSTAIN_PEDAL:
            self.events.append(Event("hold", value=1.0 if value >= 0.5 else 0.0, time=time))
        elif control == SLIDE:
            self._to_channel("slide", channel, value, time)
        elif control in _SILENCERS:
            self.events.append(Event("panic", time=time))
            self._sounding.clear()
