"""What happens while an engine sounds, as one stream: gestures, moved controls, edits."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any, Literal

EventKind = Literal[
    "on",
    "off",
    "bend",
    "pressure",
    "slide",
    "hold",
    "sostenuto",
    "control",
    "pad_across",
    "pad_up",
    "pad_let_go",
    "panic",
]


@dataclass(frozen=True, slots=True)
class Event:
    """One gesture of a player.

    Attributes
    ----------
    kind : str
        ``on``/``off`` of a note, ``bend``/``pressure``/``slide`` of one sounding note,
        ``hold`` (1 keeps released notes sounding, 0 lets them go), ``sostenuto`` (the same for
        the keys that are down when it comes), ``control`` (any controller), ``pad_across`` and
        ``pad_up`` (the gesture pad is moved), ``pad_let_go`` (and drifts on), ``panic`` (silence).
    note : int
        Which sounding note is meant; chosen by the player, so that the same key can
        sound twice. For ``control`` the controller's number, 0..127.
    key : float
        MIDI note number (``on`` only).
    value : float
        Velocity, release velocity, pressure, slide, hold or controller in 0..1; the pad in
        -1..1; bend in semitones.
    time : int
        When, in frames since the engine started; a time gone by means at once.
    channel : int
        MIDI channel it came on, 1..16; 0 for none.
    """

    kind: EventKind
    note: int = 0
    key: float = 60.0
    value: float = 0.0
    time: int = 0
    channel: int = 0


@dataclass(frozen=True, slots=True)
class SetParameter:
    """A control is moved.

    Attributes
    ----------
    owner : str
        Id of a layer, modulator, route, send, bus or effect; ``instrument`` for the whole.
    parameter : str
    value : float or str
        A number in the parameter's own unit, or the word of a choice.
    time : int
    """

    owner: str
    parameter: str
    value: float | str
    time: int = 0


@dataclass(frozen=True, slots=True)
class EditProgram:
    """The instrument is edited: another program takes over.

    Attributes
    ----------
    program : Program
    time : int
    document : dict, optional
        What the program was compiled from, as plain data, for whoever keeps the stream.
    """

    program: Any
    time: int = 0
    document: dict[str, Any] | None = None


@dataclass(frozen=True, slots=True)
class Renew:
    """Everything begins anew: controls, controllers, pad and pedals stay as they stand.

    Meant for moments in which nothing sounds, from which a stream can then be replayed.

    Attributes
    ----------
    serial : int
        How many voices have been struck before: chance goes on from there.
    time : int
    """

    serial: int = 0
    time: int = 0


@dataclass(frozen=True, slots=True)
class Recall:
    """The instrument goes into the state of one of its snapshots.

    Attributes
    ----------
    snapshot : str
        Its id; one that is not there changes nothing.
    time : int
    """

    snapshot: str
    time: int = 0


@dataclass(frozen=True, slots=True)
class OfPlayer:
    """What happens to one player of an ensemble, past its keys and its phrase.

    Attributes
    ----------
    player : str
        Its id; one that is not there hears nothing.
    event : Event, SetParameter, Renew or Recall
    time : int
        Counts in place of the event's own.
    """

    player: str
    event: Any
    time: int = 0

    @classmethod
    def of(cls, player: str, event: Any) -> OfPlayer:
        """An event of a player, at the event's own time."""
        return cls(player, event, event.time)

    def at(self) -> Any:
        """The event itself, at this one's time."""
        return replace(self.event, time=self.time)


AnyEvent = Event | SetParameter | EditProgram | Renew | Recall | OfPlayer
"""Everything that may happen, each with a time in frames."""


def gesture_of(event: Any) -> Event | None:
    """The gesture that an event is, of a player or of the whole; None where it is none."""
    inner = event.event if isinstance(event, OfPlayer) else event
    return inner if isinstance(inner, Event) else None


def player_of(event: Any) -> str:
    """Whose an event is; empty where it is nobody's in particular."""
    return event.player if isinstance(event, OfPlayer) else ""


def with_gesture(event: Any, **changes: Any) -> Any:
    """The same event, its gesture changed; one that is no gesture stays as it is."""
    gesture = gesture_of(event)
    if gesture is None:
        return event
    changed = replace(gesture, **changes)
    return replace(event, event=changed) if isinstance(event, OfPlayer) else changed


def moved_by(event: AnyEvent, frames: int) -> AnyEvent:
    """The same, so many frames later; never before the start."""
    return replace(event, time=max(0, event.time + frames))


def single_note(key: float, seconds: float, rate: int, velocity: float = 0.8) -> list[Event]:
    """A key held for a number of seconds from the start, at a frame rate in Hz."""
    return chord([key], seconds, rate, velocity)


def chord(keys: Iterable[float], seconds: float, rate: int, velocity: float = 0.8) -> list[Event]:
    """Keys held together for a number of seconds from the start, at a frame rate in Hz."""
    held = list(enumerate(keys, 1))
    end = max(1, round(seconds * rate))
    return [
        *(Event("on", note, key, velocity, 0) for note, key in held),
        *(Event("off", note, key, 0.0, end) for note, key in held),
    ]
