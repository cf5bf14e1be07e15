"""A take as a Standard MIDI File with an MPE zone (RP-053): each note on a channel of its own.

Bends, pressure and slide of single notes are kept: pitch bend over 48 semitones, channel pressure
and controller 74 of their channels. Controllers, pedals and the pad (general purpose controllers
16 and 17) go on the manager's channel.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from io import BytesIO

import mido

from innerbloom.core.performance.events import Event
from innerbloom.core.performance.hands import by_hands
from innerbloom.core.performance.midi import (
    BEND_CENTRE,
    MEMBER_BEND,
    SLIDE,
    SOSTENUTO_PEDAL,
    SUSTAIN_PEDAL,
)
from innerbloom.core.performance.take import RATE, Take

TICKS_A_BEAT = 960
MEMBERS = 15
PAD_ACROSS, PAD_UP = 16, 17
_RPN_ZONE = 6
_PEDALS = {"hold": SUSTAIN_PEDAL, "sostenuto": SOSTENUTO_PEDAL}
_PADS = {"pad_across": PAD_ACROSS, "pad_up": PAD_UP}


def midi_of(take: Take, tempo: float = 120.0) -> bytes:
    """A type 0 file with all gestures of a take; moved controls and edits have no place in it.

    Parameters
    ----------
    tempo : float
        Beats a minute that the file says; times in seconds are the same at any.

    Examples
    --------
    >>> events_from_midi(midi_of(take), 48_000, 2.0)
    """
    track = mido.MidiTrack()
    beat_us = mido.bpm2tempo(tempo)
    track.append(mido.MetaMessage("set_tempo", tempo=beat_us))
    last = 0
    for frame, message in _messages(take):
        ticks = round(mido.second2tick(max(0, frame) / RATE, TICKS_A_BEAT, beat_us))
        track.append(message.copy(time=max(0, ticks - last)))
        last = max(last, ticks)
    file = mido.MidiFile(type=0, ticks_per_beat=TICKS_A_BEAT)
    file.tracks.append(track)
    out = BytesIO()
    file.save(file=out)
    return out.getvalue()


class _Channels:
    """Which member channel a note sounds on: one that is free the longest, else the oldest."""

    def __init__(self) -> None:
        self._free = list(range(1, MEMBERS + 1))
        self.of_note: dict[int, tuple[int, int]] = {}

    def take(self, note: int, key: int) -> tuple[int, list[tuple[int, int]]]:
        """A channel for a note, and what has to end for it, as (channel, key)."""
        ended = [self.of_note.pop(note)] if note in self.of_note else []
        self._free += [channel for channel, _ in ended]
        if not self._free:
            oldest = next(iter(self.of_note))
            ended.append(self.of_note.pop(oldest))
            self._free.append(ended[-1][0])
        channel = self._free.pop(0)
        self.of_note[note] = (channel, key)
        return channel, ended

    def let_go(self, note: int) -> tuple[int, int] | None:
        found = self.of_note.pop(note, None)
        if found is not None:
            self._free.append(found[0])
        return found


def _messages(take: Take) -> Iterator[tuple[int, mido.Message]]:
    for control, value in ((101, 0), (100, _RPN_ZONE), (6, MEMBERS)):
        yield 0, mido.Message("control_change", channel=0, control=control, value=value)
    channels = _Channels()
    for event in by_hands(take).events:
        if isinstance(event, Event):
            at = event.time - take.lead_in
            for message in _of(event, channels):
                yield at, message
    end = take.frames
    for note in list(channels.of_note):
        for message in _ended(channels, note):
            yield end, message


def _of(event: Event, channels: _Channels) -> Iterable[mido.Message]:
    match event.kind:
        case "on":
            return _struck(event, channels)
        case "off":
            return _ended(channels, event.note, event.value)
        case "bend" | "pressure" | "slide":
            return _touched(event, channels)
        case "control":
            return [_control(0, event.note, event.value)]
        case "hold" | "sostenuto":
            return [_control(0, _PEDALS[event.kind], float(event.value >= 0.5))]
        case "pad_across" | "pad_up":
            return [_control(0, _PADS[event.kind], 0.5 + 0.5 * event.value)]
        case "panic":
            return [
                message for note in list(channels.of_note) for message in _ended(channels, note)
            ]
    return []


def _struck(event: Event, channels: _Channels) -> Iterator[mido.Message]:
    key = min(127, max(0, round(event.key)))
    channel, ended = channels.take(event.note, key)
    for other, old in ended:
        yield mido.Message("note_off", channel=other, note=old, velocity=0)
    # what lies between two keys is a bend from the start
    yield _bend(channel, event.key - key)
    yield mido.Message("aftertouch", channel=channel, value=0)
    yield _control(channel, SLIDE, 0.0)
    velocity = max(1, round(127 * event.value))
    yield mido.Message("note_on", channel=channel, note=key, velocity=velocity)


def _ended(channels: _Channels, note: int, velocity: float = 0.0) -> Iterator[mido.Message]:
    found = channels.let_go(note)
    if found is not None:
        channel, key = found
        yield mido.Message("note_off", channel=channel, note=key, velocity=round(127 * velocity))


def _touched(event: Event, channels: _Channels) -> Iterator[mido.Message]:
    found = channels.of_note.get(event.note)
    if found is None:
        return
    channel, _ = found
    if event.kind == "bend":
        yield _bend(channel, event.value)
    elif event.kind == "pressure":
        yield mido.Message("aftertouch", channel=channel, value=_seven_bits(event.value))
    else:
        yield _control(channel, SLIDE, event.value)


def _bend(channel: int, semitones: float) -> mido.Message:
    pitch = round(BEND_CENTRE * semitones / MEMBER_BEND)
    return mido.Message("pitchwheel", channel=channel, pitch=min(8_191, max(-8_192, pitch)))


def _control(channel: int, control: int, value: float) -> mido.Message:
    return mido.Message(
        "control_change", channel=channel, control=control, value=_seven_bits(value)
    )


def _seven_bits(value: float) -> int:
    return min(127, max(0, round(127 * value)))
