"""What a page may say to its session, checked before it is believed."""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from innerbloom.core.errors import BloomError
from innerbloom.core.sound.loop import Curve, Direction

LARGEST_BYTES = 1 << 20
Unit = Annotated[float, Field(ge=0, le=1)]
Note = Annotated[int, Field(ge=0, le=2**31)]


class MessageError(BloomError):
    """A message that cannot be understood."""


class _Message(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Load(_Message):
    do: Literal["load"]
    document: dict[str, Any]


class Credit(_Message):
    do: Literal["credit"]
    blocks: int = Field(ge=1, le=64)


class On(_Message):
    do: Literal["on"]
    note: Note
    key: float = Field(ge=0, le=127)
    value: Unit


class Off(_Message):
    do: Literal["off"]
    note: Note
    value: Unit = 0.0


class Touch(_Message):
    do: Literal["pressure", "slide"]
    note: Note
    value: Unit


class Bend(_Message):
    do: Literal["bend"]
    note: Note
    value: float = Field(ge=-96, le=96)


class Hold(_Message):
    do: Literal["hold", "sostenuto"]
    value: Unit


class Control(_Message):
    """A controller moved by hand, by its number."""

    do: Literal["control"]
    note: int = Field(ge=0, le=127)
    value: Unit


class Pad(_Message):
    """The gesture pad, in -1..1; let go, it drifts on."""

    do: Literal["pad_across", "pad_up"]
    value: float = Field(ge=-1, le=1)


class PadLetGo(_Message):
    do: Literal["pad_let_go"]


class Watch(_Message):
    """Whether what moves is to be shown."""

    do: Literal["watch"]
    on: bool


class Panic(_Message):
    do: Literal["panic", "hush"]


class Late(_Message):
    """A block came too late: the page heard a dropout."""

    do: Literal["late"]


class Set(_Message):
    """A control is moved: of any owner of settings, by its id; ``instrument`` for the whole."""

    do: Literal["set"]
    owner: str = Field(max_length=16)
    parameter: str = Field(max_length=40)
    value: float | Annotated[str, Field(max_length=40)]


class LoopHeard(_Message):
    start: float = Field(ge=0, le=1e6)
    end: float = Field(ge=0, le=1e6)
    crossfade: float = Field(default=0.0, ge=0, le=20_000)
    curve: Curve = "equal power"
    direction: Direction = "forward"


class CycleHeard(_Message):
    place: float = Field(ge=0, le=1e6)
    hz: float = Field(ge=16, le=12_000)
    cycles: int = Field(default=1, ge=1, le=64)


class Listen(_Message):
    """Hear a sound from a moment on, a loop or a few cycles of it, or a tone, or both.

    ``gain`` is in dB, ``tone`` in Hz, ``crossfade`` in ms, other times in seconds. ``id`` comes
    back in what is shown of the session, so that a page knows which request it is hearing.
    """

    do: Literal["listen"]
    id: int = Field(default=0, ge=0, le=2**53)
    recording: str | None = Field(default=None, pattern=r"^[0-9a-f]{64}$")
    at: float = Field(default=0.0, ge=0, le=1e6)
    until: float | None = Field(default=None, ge=0, le=1e6)
    gain: float = Field(default=0.0, ge=-60, le=30)
    loop: LoopHeard | None = None
    cycle: CycleHeard | None = None
    tone: float | None = Field(default=None, ge=16, le=12_000)


class Midi(_Message):
    """One MIDI message, as its bytes."""

    do: Literal["midi"]
    data: list[Annotated[int, Field(ge=0, le=255)]] = Field(min_length=1, max_length=3)


Gesture = On | Off | Touch | Bend | Hold | Control | Pad | PadLetGo | Panic
Message = Midi | Load | Credit | Gesture | Set | Listen | Watch | Late
MESSAGE: TypeAdapter[Message] = TypeAdapter(Annotated[Message, Field(discriminator="do")])


def parse_message(text: str | bytes) -> Message:
    """One message.

    Raises
    ------
    MessageError
        One sentence on what is wrong.
    """
    if isinstance(text, bytes):
        raise MessageError("Messages to a live session are text, not bytes.")
    try:
        return MESSAGE.validate_python(json.loads(text))
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        path = ".".join(str(part) for part in first["loc"])
        raise MessageError(f"A live message was not understood: {path}: {first['msg']}.") from error
    except (ValueError, RecursionError) as error:
        raise MessageError("A live message was not understood: it is not JSON.") from error
