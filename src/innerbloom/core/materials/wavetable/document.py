"""The wavetable document: where its frames come from, and what is done to them.

JSON, versioned, the same in the database and in files, so that a recipe can be opened again
and shared.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from innerbloom.core.declare.model import (
    Bend,
    Id,
    Model,
    Name,
    Share,
    json_text,
    published,
)
from innerbloom.core.declare.revisions import DocumentKind
from innerbloom.core.declare.sound import Sound
from innerbloom.core.declare.validation import validated
from innerbloom.core.materials.wavetable.table import HARMONICS, MOST_FRAMES, TableError

FORMAT = "inner-bloom/wavetable"
MAX_OPERATORS = 8
MAX_STEPS = 64
LEAST_AMOUNT, MOST_AMOUNT = 0.001, 10.0
"""Amounts of operators run over four decades; the least one counts as nothing."""

Frame = Annotated[int, Field(ge=0, lt=MOST_FRAMES)]
FrameCount = Annotated[int, Field(ge=2, le=MOST_FRAMES)]
Amount = Annotated[float, Field(ge=0, le=MOST_AMOUNT)]


class FromRecording(Model):
    """Frames taken along a recording.

    Attributes
    ----------
    start, end : float
        The stretch they are taken from, in seconds of the sound; ``end`` None is where it
        has died away.
    by : {"itself", "cycles", "spectra", "stretches"}
        Its own cycles, its spectrum gathered at the multiples of ``root``, or stretches of
        ``stretch_ms`` closed over a share of ``closed``; by itself, cycles where there is a
        clear pitch, else spectra.
    frames : int
    spread : {"time", "timbre", "hand"}
        Evenly in time, by how much the timbre changes, or at ``places`` in seconds.
    together : int
        Cycles looked at together; more are steadier, fewer follow faster.
    root : float or None
        MIDI note: of cycles where the pitch is known to be steady, else found; of spectra.
    level : {"equal", "kept"}
    phases : {"shared", "kept", "zero"}
        Shared ones let frames cross over without loss of level.
    """

    kind: Literal["recording"] = "recording"
    sound: Sound
    start: float = Field(default=0.0, ge=0, le=1e6)
    end: float | None = Field(default=None, gt=0, le=1e6)
    by: Literal["itself", "cycles", "spectra", "stretches"] = "itself"
    frames: FrameCount = 64
    spread: Literal["time", "timbre", "hand"] = "time"
    places: list[Annotated[float, Field(ge=0, le=1e6)]] = Field(default=[], max_length=MOST_FRAMES)
    together: int = Field(default=4, ge=1, le=32)
    root: float | None = Field(default=None, ge=0, le=135)
    stretch_ms: float = Field(default=40.0, ge=1, le=2_000)
    closed: float = Field(default=0.2, ge=0, le=0.5)
    level: Literal["equal", "kept"] = "equal"
    phases: Literal["shared", "kept", "zero"] = "shared"


class Operator(Model):
    """One wave of a stack.

    Attributes
    ----------
    wave : {"sine", "triangle", "saw", "square", "cycle"}
        ``cycle`` is the first frame of ``sound``.
    harmonic : float
        Cycles in a period of the table; what is left of a fraction is cut off by the period.
    phase : float
        Where it begins, 0..1.
    start, end, bend : float
        Amount at the first and at the last frame, and the bend between in %: level where it is
        heard, peak phase deviation in radians where it modulates.
    into : str or None
        Id of the operator whose phase it modulates; None where it is heard.
    """

    id: Id
    wave: Literal["sine", "triangle", "saw", "square", "cycle"] = "sine"
    harmonic: float = Field(default=1.0, ge=0, le=64)
    phase: Share = 0.0
    start: Amount = 1.0
    end: Amount = 1.0
    bend: Bend = 0.0
    into: Id | None = None
    sound: Sound | None = None


class FromWaves(Model):
    """Frames built from plain waves, each heard or moving the phase of another."""

    kind: Literal["waves"] = "waves"
    frames: int = Field(default=64, ge=1, le=MOST_FRAMES)
    operators: list[Operator] = Field(min_length=1, max_length=MAX_OPERATORS)


class FromCycles(Model):
    """Frames that are there already: in one file end to end, or one cycle a file.

    Each sound's ``cycle`` says how many of its frames make a cycle; without it, all of them.
    """

    kind: Literal["cycles"] = "cycles"
    sounds: list[Sound] = Field(min_length=1, max_length=MOST_FRAMES)


class Arrange(Model):
    """Frames in another order: some left out, some more than once."""

    do: Literal["arrange"] = "arrange"
    frames: list[Frame] = Field(min_length=1, max_length=MOST_FRAMES)


class Between(Model):
    """As many frames as wanted, drawn between those that are there, in some stretch of them.

    ``first`` and ``last`` count from 1, as they are shown.
    """

    do: Literal["between"] = "between"
    first: int = Field(default=1, ge=1, le=MOST_FRAMES)
    last: int = Field(default=MOST_FRAMES, ge=1, le=MOST_FRAMES)
    frames: int = Field(default=64, ge=2, le=MOST_FRAMES)
    by: Literal["time", "harmonics"] = "harmonics"


class Level(Model):
    do: Literal["level"] = "level"
    to: Literal["equal peaks", "equal level", "whole"] = "whole"


class Tilt(Model):
    do: Literal["tilt"] = "tilt"
    db_per_octave: float = Field(default=-3.0, ge=-24, le=24)


class Keep(Model):
    """Only some harmonics."""

    do: Literal["keep"] = "keep"
    which: Literal["all", "odd", "even"] = "all"
    lowest: int = Field(default=1, ge=1, le=HARMONICS)
    highest: int = Field(default=HARMONICS, ge=1, le=HARMONICS)


class Draw(Model):
    """Levels of harmonics as drawn, in dB, in one frame or in all (None)."""

    do: Literal["draw"] = "draw"
    frame: Frame | None = None
    levels: list[
        tuple[Annotated[int, Field(ge=1, le=HARMONICS)], Annotated[float, Field(ge=-120, le=12)]]
    ] = Field(min_length=1, max_length=HARMONICS)


class Phases(Model):
    do: Literal["phases"] = "phases"
    to: Literal["zero", "shared", "low peak"] = "zero"


class Smooth(Model):
    """Neighbours mixed along the table, over so many frames."""

    do: Literal["smooth"] = "smooth"
    frames: float = Field(default=2.0, ge=0.1, le=64)


Step = Annotated[
    Arrange | Between | Level | Tilt | Keep | Draw | Phases | Smooth, Field(discriminator="do")
]
Source = Annotated[FromRecording | FromWaves | FromCycles, Field(discriminator="kind")]


class TableDocument(Model):
    """How a wavetable is made."""

    format: Literal[FORMAT] = FORMAT  # type: ignore[valid-type]
    version: Literal[1] = 1
    name: Name
    source: Source
    steps: list[Step] = Field(default=[], max_length=MAX_STEPS)


def parse_table(data: Any) -> TableDocument:
    """Validate a document, as plain data or JSON text; TableError names what is wrong."""
    data = json_text(data, "This is no wavetable recipe", TableError)
    document = validated(TableDocument, data, "wavetable recipe", TableError)
    if isinstance(document.source, FromWaves):
        _check_operators(document.source.operators)
    return document


KIND = DocumentKind("wavetable", "wavetable's recipe", TableDocument, parse_table)


def _check_operators(operators: list[Operator]) -> None:
    into = {one.id: one.into for one in operators}
    if len(into) < len(operators):
        raise TableError("Two operators have one id: give each its own.")
    for one in operators:
        if one.into is not None and one.into not in into:
            raise TableError(f"Operator '{one.id}' modulates '{one.into}', which is not there.")
        at, seen = one.id, {one.id}
        while (onward := into[at]) is not None:
            if onward in seen:
                raise TableError(
                    f"Operators {' and '.join(sorted(seen))} modulate each other in a ring: "
                    "let one of them be heard."
                )
            seen.add(onward)
            at = onward


def table_schema() -> dict[str, Any]:
    """The published JSON Schema of a recipe."""
    return published(TableDocument, "Inner Bloom wavetable recipe")


def sounds_in(document: TableDocument) -> list[Sound]:
    """Every sound that a recipe takes something from."""
    source = document.source
    if isinstance(source, FromRecording):
        return [source.sound]
    if isinstance(source, FromCycles):
        return list(source.sounds)
    return [one.sound for one in source.operators if one.sound is not None]
