"""What happens while an engine sounds, as one stream: gestures, moved controls, edits."""

from __future__ import annotations

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
    """

    kind: EventKind
    note: int = 0
    key: float = 60.0
    value: float = 0.0
    time: int = 0


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
    """

    program: Any
    time: int = 0


AnyEvent = Event | SetParameter | EditProgram
"""Everything that may happen, each with a time in frames."""


def moved_by(event: AnyEvent, frames: int) -> AnyEvent:
    """The same, so many frames later; never before the start."""
    return replace(event, time=max(0, event.time + frames))


def single_note(key: float, seconds: float, rate: int, velocity: float = 0.8) -> list[Event]:
    """A key held for a number of seconds from the start, at a frame rate in Hz."""
    return [
        Event("on", 1, key, velocity, 0),
        Event("off", 1, key, 0.0, max(1, round(seconds * rate))),
    ]
