"""What a session says to its page. Typed dictionaries: they are made many times a second."""

from __future__ import annotations

from typing import Annotated, Literal, NotRequired

from pydantic import Field, TypeAdapter
from typing_extensions import TypedDict

from innerbloom.core.engine.looking import LayerLook, MapLook, PlayerLook

HeldNote = tuple[float, float, float, float]


class Moving(TypedDict):
    """What arrives now, in the order of the document.

    ``modulators`` hold the value and the other side; ``targets`` what is added, the value that
    comes of it, and whether the range's end holds it; ``keys`` are ``"owner.parameter"``; ``pad``
    is where the gesture pad is, -1..1.
    """

    routes: list[float]
    modulators: list[tuple[float, float]]
    targets: list[tuple[float, float, float]]
    keys: list[str]
    pad: tuple[float, float]


class Watched(TypedDict):
    """What passes the effect that is looked at: see :class:`.EffectWatch`.

    ``spectrum`` is in bands of equal width by octaves between the two ``hz``, in dBFS; ``floors``
    are the noise floor of what goes in and of what comes out, dBFS.
    """

    effect: str
    hz: tuple[float, float]
    spectrum: list[int]
    floors: tuple[float, float] | None


class Meters(TypedDict):
    """Readings of one stream: see :class:`.MixWatch`.

    Loudness in LUFS, ``range`` in LU, the highest true ``peak`` in dBTP, ``correlation`` -1..1.
    """

    momentary: float
    short_term: float
    integrated: float
    range: float
    peak: float
    correlation: float


class StreamMeters(TypedDict):
    """Meters of the stream that is looked at, at its level, since that began."""

    stream: str
    meters: Meters


class Mixing(TypedDict):
    """What the mixer does now: see :class:`.MixLook`; ``spectrum`` and ``meters`` are of the whole.

    ``alone`` is the effect of which only the difference is heard.
    """

    streams: dict[str, float]
    effects: dict[str, list[float]]
    spectrum: list[int]
    meters: Meters
    alone: str | None
    stream: StreamMeters | None
    watched: Watched | None


TakeState = Literal["idle", "waiting", "counting", "recording"]


class MovedLane(TypedDict):
    """A lane of the hands, where it is now, and the range it is shown in."""

    lane: str
    value: float
    low: float
    high: float


class Taking(TypedDict):
    """How a take stands.

    ``seconds`` long so far, ``beats`` still to be counted in, ``extremes`` the lowest and highest
    sample since the last look, ``moved`` what the hands moved since then beside notes, with its lowest
    and highest value so far, ``played`` the seconds that could be kept of what was just played.
    """

    state: TakeState
    take: str | None
    seconds: float
    marks: int
    beats: int
    extremes: tuple[float, float]
    moved: list[MovedLane]
    played: float


Look = TypedDict(
    "Look",
    {
        "is": Literal["look"],
        "load": float,
        "peaks": tuple[float, float],
        "voices": int,
        "held_db": float,
        "listening": float | None,
        "heard": int,
        "layers": list[LayerLook],
        "notes": list[HeldNote],
        "moved": int | None,
        "moving": Moving | None,
        "mix": Mixing | None,
        "map": MapLook | None,
        "due": str | None,
        "players": dict[str, PlayerLook],
        "taking": Taking,
    },
)
"""What meters and pictures show, some twenty times a second.

``heard`` numbers the request that ``listening`` (seconds) is about; ``notes`` hold note id, pitch,
slide and pressure of every key that is down; ``moved`` is a controller that a keyboard has just
moved; ``due`` is a snapshot that is waited for.
"""

Seen = TypedDict(
    "Seen",
    {
        "is": Literal["seen"],
        "looks": int,
        "ranges": dict[str, tuple[float, float]],
        "clamped": dict[str, float],
    },
)
"""What was seen to move while notes sounded: how far each route went, and how often the end of a
range held a target, 0..1."""

Taken = TypedDict("Taken", {"is": Literal["taken"], "take": str, "seconds": float})
"""A take has come to its end and is on the disk."""

Loaded = TypedDict("Loaded", {"is": Literal["loaded"]})
Problem = TypedDict("Problem", {"is": Literal["problem"], "text": str, "final": NotRequired[bool]})
"""One sentence; ``final`` where the session ends with it."""

Recalled = TypedDict("Recalled", {"is": Literal["recalled"], "snapshot": str})
"""A snapshot has been gone into."""

Answer = Look | Seen | Taken | Loaded | Recalled | Problem
ANSWER: TypeAdapter[Answer] = TypeAdapter(Annotated[Answer, Field(discriminator="is")])


def problem(text: str) -> Problem:
    return {"is": "problem", "text": text}
