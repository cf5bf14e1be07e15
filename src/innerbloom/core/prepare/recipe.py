"""Recipes: steps in order that make a material from a recording.

The same recipe on the same recording gives the same samples. Times of a step are those of
the sound as it reaches that step; a quiet stretch to learn noise from is said in the time of
the recording.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal, Protocol

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from innerbloom.core.errors import BloomError, Cancelled, DocumentError
from innerbloom.core.prepare.cleaning import DC, DENOISE, GAIN, HIGHPASS, NORMALISE
from innerbloom.core.prepare.clip import Clip
from innerbloom.core.prepare.cutting import CHANNELS, CUT, REVERSE, SILENCE
from innerbloom.core.prepare.declare import Step, StepKind
from innerbloom.core.prepare.looping import LOOP, TONE
from innerbloom.core.prepare.pitching import MOST_S, PULL, ROOT, SHIFT, STRETCH, TUNE_EACH

STEP_KINDS: dict[str, StepKind] = {
    kind.id: kind
    for kind in (
        CUT,
        SILENCE,
        REVERSE,
        CHANNELS,
        DC,
        HIGHPASS,
        DENOISE,
        GAIN,
        NORMALISE,
        ROOT,
        PULL,
        TUNE_EACH,
        SHIFT,
        STRETCH,
        LOOP,
        TONE,
    )
}
"""Every kind of step; a new one is its declaration and its place here."""

_MODELS: dict[str, type[Step]] = {id: kind.model() for id, kind in STEP_KINDS.items()}
MOST_STEPS = 40
ALGORITHM = 1
"""Raised when a step comes to sound different, so that stages kept from before are not used."""

Progress = Callable[[float], bool]


class _Recipe(BaseModel):
    model_config = ConfigDict(extra="forbid")

    format: Literal["inner-bloom/recipe"] = "inner-bloom/recipe"
    version: Literal[1] = 1
    steps: list[dict[str, Any]] = Field(default_factory=list, max_length=MOST_STEPS)


@dataclass(frozen=True)
class Recipe:
    """Steps in order."""

    steps: tuple[Step, ...] = ()

    def plain(self) -> dict[str, Any]:
        """As JSON, whole."""
        return _Recipe(steps=[step.model_dump() for step in self.steps]).model_dump()

    def upto(self, count: int) -> Recipe:
        """The first ``count`` steps."""
        return Recipe(self.steps[:count])

    def key(self, digest: str, tuning: float) -> str:
        """A hash that names what these steps make of a recording."""
        steps = [step.model_dump() for step in self.steps if step.on]
        text = json.dumps([ALGORITHM, digest, tuning, steps], sort_keys=True)
        return hashlib.sha256(text.encode()).hexdigest()

    def sentences(self) -> list[str]:
        """What each step does, in a phrase."""
        return [STEP_KINDS[step.do].describe(step) for step in self.steps]


def parse_recipe(data: Any) -> Recipe:
    """Validate a recipe given as plain data or JSON text.

    Raises
    ------
    DocumentError
        One sentence that names the step and what is wrong.
    """
    if isinstance(data, str | bytes):
        try:
            data = json.loads(data)
        except (ValueError, RecursionError) as error:
            raise DocumentError(f"This is not a recipe: {error}.") from error
    try:
        steps = _Recipe.model_validate(data).steps
    except ValidationError as error:
        raise DocumentError(f"The recipe cannot be read: {_problem(error)}.") from error
    return Recipe(tuple(parse_step(step, number) for number, step in enumerate(steps, 1)))


def parse_step(data: dict[str, Any], number: int = 1) -> Step:
    """Validate one step; the error names it by its number."""
    model = _MODELS.get(str(data.get("do")))
    if model is None:
        known = ", ".join(STEP_KINDS)
        raise DocumentError(f"Step {number} is of no known kind ('{data.get('do')}'): {known}.")
    try:
        return model.model_validate(data)
    except ValidationError as error:
        name = STEP_KINDS[data["do"]].name
        raise DocumentError(f"Step {number}, {name}: {_problem(error)}.") from error


def _problem(error: ValidationError) -> str:
    first = error.errors(include_url=False, include_context=False)[0]
    path = ".".join(str(part) for part in first["loc"]) or "recipe"
    message = first["msg"].rstrip(".")
    return f"{path}: {message[0].lower()}{message[1:]}"


def recipe_schema() -> dict[str, Any]:
    """The published JSON Schema of a recipe."""
    schema = _Recipe.model_json_schema()
    steps = {id: model.model_json_schema() for id, model in _MODELS.items()}
    schema["properties"]["steps"]["items"] = {"oneOf": list(steps.values())}
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    schema["title"] = "Inner Bloom recipe"
    return schema


class Source(Protocol):
    """The recording that a recipe works on."""

    rate: int
    frames: int

    def read(self, first: int, count: int) -> NDArray[np.float32]:
        """Frames of shape (count or fewer, 1 or 2)."""


class Stages(Protocol):
    """Where what steps made is kept, to be taken up again."""

    def find(self, count: int) -> Clip | None:
        """The clip after the first ``count`` steps, if it was kept."""

    def keep(self, count: int, clip: Clip) -> None:
        """Keep the clip after the first ``count`` steps."""


@dataclass
class _Context:
    recipe: Recipe
    source: Source
    tuning: float
    told: Progress
    done: int = 0

    def noise(self, start_s: float, end_s: float) -> Clip:
        first = round(start_s * self.source.rate)
        if first >= self.source.frames:
            raise BloomError(
                "The quiet stretch lies past the end of the recording: move it inside."
            )
        count = min(round(end_s * self.source.rate), self.source.frames) - first
        clip = Clip(self.source.read(first, max(1, count)), self.source.rate)
        for step in self.recipe.steps[: self.done]:
            kind = STEP_KINDS[step.do]
            if step.on and kind.filters:
                clip = kind.apply(clip, step, self)
        return clip


def run_recipe(
    recipe: Recipe,
    source: Source,
    *,
    tuning: float = 440.0,
    stages: Stages | None = None,
    progress: Progress | None = None,
) -> Clip:
    """What a recipe makes of a recording.

    Raises
    ------
    BloomError
        One sentence that names the step at fault, or says that the sound is too long.
    Cancelled
        If ``progress`` returns False.
    """
    clip, done = _taken_up(recipe, stages)
    if clip is None:
        clip = _opened(recipe, source)
    share = 1.0 / max(1, len(recipe.steps) - done)
    for index in range(done, len(recipe.steps)):
        step = recipe.steps[index]
        before = (index - done) * share

        def told(part: float, before: float = before) -> bool:
            if progress is not None and not progress(before + share * min(1.0, part)):
                raise Cancelled("Stopped.")
            return True

        told(0.0)
        if step.on:
            clip = _applied(clip, step, index, _Context(recipe, source, tuning, told, index))
        if stages is not None:
            stages.keep(index + 1, clip)
    return clip


def _taken_up(recipe: Recipe, stages: Stages | None) -> tuple[Clip | None, int]:
    """The furthest stage that was kept."""
    if stages is not None:
        for count in range(len(recipe.steps), 0, -1):
            clip = stages.find(count)
            if clip is not None:
                return clip, count
    return None, 0


def _opened(recipe: Recipe, source: Source) -> Clip:
    """The stretch of the recording that the first step asks for, or all of it."""
    first, last = 0, source.frames
    if recipe.steps and recipe.steps[0].on and recipe.steps[0].do == "cut":
        cut: Any = recipe.steps[0]
        first = min(round(cut.start * source.rate), source.frames)
        wanted = round(cut.end * source.rate) if cut.end > 0 else source.frames
        last = min(wanted, source.frames) if wanted > first else source.frames
    if (last - first) / source.rate > MOST_S:
        raise BloomError(
            f"A material lasts {MOST_S / 60:.0f} minutes at most, and this would be "
            f"{(last - first) / source.rate / 60:.0f}: begin with a cut to the part you want."
        )
    if first >= source.frames:
        raise BloomError(
            f"The region begins at {first / source.rate:.2f} s, but the recording is only "
            f"{source.frames / source.rate:.2f} s long: move it inside."
        )
    return Clip(source.read(first, last - first), source.rate, offset=first)


def _applied(clip: Clip, step: Step, index: int, context: _Context) -> Clip:
    kind = STEP_KINDS[step.do]
    try:
        out = kind.apply(clip, step, context)
    except Cancelled:
        raise
    except BloomError as error:
        raise BloomError(f"Step {index + 1}, {kind.name}: {error}") from error
    if not np.isfinite(out.samples).all():
        raise BloomError(f"Step {index + 1}, {kind.name}, went out of range: set it more gently.")
    return replace(out, offset=0)


def default_steps(seconds: float) -> tuple[dict[str, Any], ...]:
    """What the Bench starts out with: a cut to all of it, or to its first minutes."""
    end = 0.0 if seconds <= MOST_S else min(60.0, seconds)
    return ({"do": "cut", "end": end}, {"do": "normalise"})


def piece_recipe(recipe: Recipe, start_s: float, end_s: float) -> Recipe:
    """The recipe for one piece of the recording: a cut to it, then the steps after the first
    cut."""
    rest: Sequence[Step] = recipe.steps
    fades: dict[str, Any] = {}
    if rest and rest[0].do == "cut":
        keep = ("fade_in", "fade_out", "curve_in", "curve_out")
        fades = {name: getattr(rest[0], name) for name in keep}
        rest = rest[1:]
    cut = parse_step({"do": "cut", "start": start_s, "end": end_s, **fades})
    return Recipe((cut, *rest))
