"""What is decided about a take: its name, its moments, and how its hands were changed.

A document of settings and decisions. The moments themselves follow from it and the sound.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from innerbloom.core.analysis.moments import MOST, Moment, Wanted
from innerbloom.core.declare.model import Model, json_text
from innerbloom.core.declare.parameters import Choice, Settings, settings_model
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.declare.revisions import DocumentKind, Plain
from innerbloom.core.declare.validation import validated
from innerbloom.core.errors import DocumentError
from innerbloom.core.performance.hands import HandEdit, Seconds, sentence_of

DECLARED: tuple[P | Choice, ...] = (
    P("sensitivity", "sensitivity", "Moments", "%", 0, 100, 50,
      "How much has to stand out to be a moment; more finds more."),
    P("shortest", "shortest", "Moments", "s", 0.1, 30, 0.5,
      "Moments shorter than this are left out.", "log"),
    P("longest", "longest", "Moments", "s", 1, 300, 30, "Longer ones are cut here.", "log"),
    Choice("level", "level", ("as played", "peak", "loudness"), "as played",
           "What kept moments are brought to on the shelf.", "Keeping"),
    P("peak", "peak", "Keeping", "dBTP", -20, 0, -0.3, "Highest true peak of a kept moment.",
      "decibel", when=("level", ("peak",))),
    P("loudness", "loudness", "Keeping", "LUFS", -40, -8, -23,
      "Loudness of a kept moment; its true peak stays below -1 dBTP.", "decibel",
      when=("level", ("loudness",))),
)  # fmt: skip

FADE_MS = 5.0


class About(Model):
    """What a take is, as it came to be; not to be changed."""

    folder: str = Field(pattern=r"^[0-9a-f]{32}$")
    seconds: float = Field(ge=0)
    began: str = Field(default="", max_length=40)
    instrument: int | None = None
    instrument_name: str = Field(default="", max_length=120)
    origin: Literal["recorded", "kept", "changed", "comp"] = "recorded"
    exact: bool = True
    lost: int = Field(default=0, ge=0)
    cut_short: bool = False
    tempo: float = Field(default=120, gt=0)
    backing: str = Field(default="", max_length=64)
    backing_at: float = Field(default=0, ge=0)


class Decision(Model):
    """What is decided of one moment: None for what has not been decided."""

    start: Seconds
    end: Seconds
    reason: str = Field(default="by hand", max_length=20)
    kept: bool | None = None
    name: str = Field(default="", max_length=120)
    fade_in: float = Field(default=FADE_MS, ge=0, le=60_000)
    fade_out: float = Field(default=FADE_MS, ge=0, le=60_000)


class TakeSettings(Settings):
    """What is kept beside the settings.

    ``sound`` is what is heard of it: empty for what was recorded, else one that it was played
    again to.
    """

    format: Literal["inner-bloom/take-notes"] = "inner-bloom/take-notes"
    version: Literal[1] = 1
    name: str = Field(default="Take", min_length=1, max_length=120)
    notes: str = Field(default="", max_length=4_000)
    about: About
    decisions: dict[Annotated[str, Field(pattern=r"^[a-z0-9.]{1,24}$")], Decision] = Field(
        default={}, max_length=2_000
    )
    edits: list[HandEdit] = Field(default=[], max_length=2_000)
    sound: str = Field(default="", pattern=r"^([0-9a-f]{32})?$")


TakeDocument = settings_model("TakeDocument", DECLARED, base=TakeSettings)
"""The document: what is declared, and the above."""


def parse_take(data: Any) -> TakeSettings:
    """Validate a document given as plain data or JSON text; raises a DocumentError."""
    data = json_text(data, "This is no take", DocumentError)
    return validated(TakeDocument, data, "take")


def _summary(plain: Plain) -> Plain:
    kept = sum(1 for one in plain["decisions"].values() if one["kept"])
    return {**plain["about"], "kept": kept, "changed": len(plain["edits"])}


KIND = DocumentKind(
    "take", "take", TakeDocument, parse_take,
    sentences=lambda document: [sentence_of(one) for one in document.edits], summary=_summary,
)  # fmt: skip


def wanted_of(document: Any) -> Wanted:
    """What is looked for."""
    return Wanted(document.sensitivity / 100.0, document.shortest, document.longest)


class MomentShown(Model):
    """A moment with what is decided of it.

    Attributes
    ----------
    key : str
        What the decision about it goes by.
    rank : int
        1 for the most promising; 0 where it was chosen by hand.
    words : str
        Why it is one.
    """

    key: str
    start: float
    end: float
    reason: str
    words: str
    rank: int
    worth: float
    kept: bool | None
    name: str
    fade_in: float
    fade_out: float


def key_of(moment: Moment) -> str:
    """What a moment that was found goes by: where it begins, in milliseconds."""
    return f"{round(1e3 * moment.start)}.{moment.reason}"


def shown_moments(document: Any, found: list[Moment], default: str) -> list[MomentShown]:
    """All moments in the order of their rank, what is decided laid over what was found.

    Parameters
    ----------
    default : str
        How a moment is called that has no name: this and its rank.
    """
    decided = dict(document.decisions)
    shown = []
    for rank, moment in enumerate(found[:MOST], 1):
        key = key_of(moment)
        decision = decided.pop(key, None)
        if decision is None:
            # something decided elsewhere takes the place of what it covers
            if any(_covers(one, moment) for one in document.decisions.values()):
                continue
            decision = Decision(start=moment.start, end=moment.end, reason=moment.reason)
        shown.append(_shown(key, decision, rank, moment.worth, default))
    for key, decision in sorted(decided.items(), key=lambda pair: pair[1].start):
        shown.append(_shown(key, decision, 0, 0.0, default))
    return shown


def _covers(decision: Decision, moment: Moment) -> bool:
    common = min(decision.end, moment.end) - max(decision.start, moment.start)
    return common > 0.5 * min(decision.end - decision.start, moment.seconds)


def _shown(key: str, one: Decision, rank: int, worth: float, default: str) -> MomentShown:
    name = one.name or f"{default}, {_plainly(one)}"
    return MomentShown(
        key=key, words=reason_words(one.reason, one.end - one.start), rank=rank,
        worth=round(worth, 3), **{**one.model_dump(), "name": name[:120]},
    )  # fmt: skip


_WORDS = {
    "marked": "you marked it", "strike": "a clear strike and its tail", "opens": "opens slowly",
    "loop": "loops well", "rare": "rare: nowhere else like it", "still": "still",
    "by hand": "chosen by hand",
}  # fmt: skip
_NAMES = {
    "marked": "marked", "strike": "strike", "opens": "opening", "grows": "growing", "loop": "loop",
    "rare": "rare", "still": "still",
}  # fmt: skip


def reason_words(reason: str, seconds: float) -> str:
    """Why a stretch is worth keeping, plainly."""
    if reason == "grows":
        return f"grows for {seconds:.0f} s"
    return _WORDS.get(reason, reason)


def _plainly(one: Decision) -> str:
    minutes, seconds = divmod(one.start, 60.0)
    return f"{_NAMES.get(one.reason, 'moment')} at {minutes:.0f}:{seconds:04.1f}"
