"""What a page may say to its session, checked before it is believed."""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from innerbloom.core.errors import BloomError
from innerbloom.core.performance.hands import HandEdit
from innerbloom.core.performance.take_format import Backing
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
    """Whether what moves is to be shown, whether what the mixer does, what leaves one stream and passes one effect."""

    do: Literal["watch"]
    on: bool
    mix: bool = False
    stream: str | None = Field(default=None, max_length=16)
    effect: str | None = Field(default=None, max_length=16)


class Difference(_Message):
    """Hear only what one effect changes; None for everything again."""

    do: Literal["difference"]
    effect: str | None = Field(max_length=16)


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


class Recall(_Message):
    """Go into the state of a snapshot: at once, or when the next beat or bar comes."""

    do: Literal["recall"]
    snapshot: str = Field(max_length=16)
    at: Literal["once", "beat", "bar"] = "once"


class ChangePhrase(_Message):
    """What chords become; checked as :data:`.PHRASE` declares it."""

    do: Literal["phrase"]
    settings: dict[str, float | Annotated[str, Field(max_length=40)]]


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

    Of a take its sound is heard, or one that it was played again to; of variations, samples and
    swap sheets one by its folder and number; a timeline is given as its whole document. ``gain`` is in dB, ``tone`` in Hz, ``crossfade`` in ms, other times in seconds. ``id`` comes
    back in what is shown of the session, so that a page knows which request it is hearing.
    """

    do: Literal["listen"]
    id: int = Field(default=0, ge=0, le=2**53)
    recording: str | None = Field(default=None, pattern=r"^[0-9a-f]{64}$")
    take: str | None = Field(default=None, pattern=r"^[0-9a-f]{32}(/[0-9a-f]{32})?$")
    variation: str | None = Field(default=None, pattern=r"^[0-9a-f]{32}/[0-9]{1,4}$")
    sample: str | None = Field(default=None, pattern=r"^[0-9a-f]{32}/[0-9]{1,4}$")
    swap: str | None = Field(default=None, pattern=r"^[0-9a-f]{32}/[0-9]{1,4}$")
    at: float = Field(default=0.0, ge=0, le=1e6)
    until: float | None = Field(default=None, ge=0, le=1e6)
    gain: float = Field(default=0.0, ge=-60, le=60)
    loop: LoopHeard | None = None
    cycle: CycleHeard | None = None
    tone: float | None = Field(default=None, ge=16, le=12_000)
    timeline: dict[str, Any] | None = None


class ChangeTimeline(_Message):
    """Go on with a timeline that was changed while it is heard; ``gain`` in dB."""

    do: Literal["change timeline"]
    document: dict[str, Any]
    gain: float = Field(default=0.0, ge=-60, le=60)


class Over(_Message):
    """A take whose hands play meanwhile, but for some lanes, which are played anew.

    ``at`` is where in it they begin, in seconds; ``edits`` are the changes that were made to them.
    """

    take: str = Field(pattern=r"^[0-9a-f]{32}$")
    lanes: list[Annotated[str, Field(max_length=60)]] = Field(min_length=1, max_length=60)
    at: float = Field(default=0.0, ge=0, le=86_400)
    edits: list[HandEdit] = Field(default=[], max_length=2_000)


class AlongTimeline(_Message):
    """A timeline that is played along to, from ``at`` seconds of its picture on; ``gain`` in dB."""

    document: dict[str, Any]
    at: float = Field(default=0.0, ge=0, le=1e6)
    gain: float = Field(default=0.0, ge=-60, le=60)


class Record(_Message):
    """Begin a take, or end it.

    ``wait`` begins with the first note; ``beats`` are counted in at ``tempo`` (0 for the
    instrument's own), ``click`` goes on in it. ``instrument`` and ``name`` say what is played.
    """

    do: Literal["record"]
    on: bool
    wait: bool = False
    beats: int = Field(default=0, ge=0, le=16)
    click: bool = False
    tempo: float = Field(default=0.0, ge=0, le=999)
    instrument: int | None = None
    name: str = Field(default="", max_length=120)
    backing: Backing | None = None
    over: Over | None = None
    timeline: AlongTimeline | None = None


class KeepPlayed(_Message):
    """Make a take of what was played in the last minutes."""

    do: Literal["keep_played"]
    instrument: int | None = None
    name: str = Field(default="", max_length=120)


class Mark(_Message):
    """That was good: a marker in the take."""

    do: Literal["mark"]


class Midi(_Message):
    """One MIDI message, as its bytes."""

    do: Literal["midi"]
    data: list[Annotated[int, Field(ge=0, le=255)]] = Field(min_length=1, max_length=3)


Gesture = On | Off | Touch | Bend | Hold | Control | Pad | PadLetGo | Panic
Message = (
    Midi | Load | Credit | Gesture | Set | Recall | ChangePhrase | Listen | ChangeTimeline | Watch | Difference | Late
    | Record | KeepPlayed | Mark
)  # fmt: skip
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
