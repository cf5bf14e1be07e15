"""Recipes: steps in order that make a material from a recording.

The same recipe on the same recording gives the same samples. Times of a step are those of
the sound as it reaches that step; a quiet stretch to learn noise from is said in the time of
the recording.
"""

from __future__ import annotations

import hashlib
import json
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError

from innerbloom.core.declare.model import Model, json_text, published
from innerbloom.core.declare.registry import ByKind, kinds
from innerbloom.core.declare.revisions import DocumentKind
from innerbloom.core.declare.validation import nearest, problem_in
from innerbloom.core.errors import DocumentError
from innerbloom.core.prepare.cleaning import DC, DENOISE, GAIN, HIGHPASS, NORMALISE
from innerbloom.core.prepare.cutting import CHANNELS, CUT, REVERSE, SILENCE
from innerbloom.core.prepare.declare import Step, step_model
from innerbloom.core.prepare.looping import LOOP, TONE
from innerbloom.core.prepare.pitching import MOST_S, PULL, ROOT, SHIFT, STRETCH, TUNE_EACH
from innerbloom.core.prepare.repairing import DECLICK, DECLIP, EQUALISER

STEP_KINDS = kinds(
    CUT,
    SILENCE,
    REVERSE,
    CHANNELS,
    DECLIP,
    DECLICK,
    DC,
    HIGHPASS,
    DENOISE,
    EQUALISER,
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
"""Every kind of step; a new one is its declaration and its place here."""

MOST_STEPS = 40
ALGORITHM = 2
"""Raised when a step comes to sound different, so that stages kept from before are not used."""

AnyStep = Annotated[
    Step, ByKind(STEP_KINDS, lambda id_: step_model(STEP_KINDS[id_]), "a step", key="do")
]


class Recipe(Model):
    """Steps in order."""

    format: Literal["inner-bloom/recipe"] = "inner-bloom/recipe"
    version: Literal[1] = 1
    steps: list[AnyStep] = Field(default=[], max_length=MOST_STEPS)

    def plain(self) -> dict[str, Any]:
        """As JSON, whole."""
        return self.model_dump(mode="json")

    def upto(self, count: int) -> Recipe:
        """The first ``count`` steps."""
        return self.model_copy(update={"steps": self.steps[:count]})

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
    data = json_text(data, "This is not a recipe", DocumentError)
    try:
        return Recipe.model_validate(data)
    except ValidationError as error:
        place, why = problem_in(error, Recipe, data)
        raise DocumentError(_refused(place, why, data)) from error


KIND = DocumentKind("recipe", "recipe", Recipe, parse_recipe, Recipe.sentences)


def parse_step(data: dict[str, Any]) -> Step:
    """Validate one step; raises a DocumentError."""
    return parse_recipe({"steps": [data]}).steps[0]


def _refused(place: tuple[str | int, ...], message: str, data: Any) -> str:
    """The first thing wrong, with the step by its number and name."""
    if len(place) < 2 or place[0] != "steps":
        path = ".".join(str(part) for part in place) or "recipe"
        return f"The recipe cannot be read: {path}: {message}."
    index, *rest = place[1:]
    given = data["steps"][index]
    do = str(given.get("do")) if isinstance(given, dict) else ""
    if do not in STEP_KINDS:
        meant = nearest(do, list(STEP_KINDS))
        like = f", the nearest is '{meant}'; there are" if meant else ""
        return f"Step {int(index) + 1} is of no known kind ('{do}'){like}: {', '.join(STEP_KINDS)}."
    path = ".".join(str(part) for part in rest) or "step"
    return f"Step {int(index) + 1}, {STEP_KINDS[do].name}: {path}: {message}."


def recipe_schema() -> dict[str, Any]:
    """The published JSON Schema of a recipe."""
    return published(Recipe, "Inner Bloom recipe")


def default_steps(seconds: float) -> tuple[dict[str, Any], ...]:
    """What the Bench starts out with: a cut to all of it, or to its first minutes."""
    end = 0.0 if seconds <= MOST_S else min(60.0, seconds)
    return ({"do": "cut", "end": end}, {"do": "normalise"})


def piece_recipe(recipe: Recipe, start_s: float, end_s: float) -> Recipe:
    """The recipe for one piece of the recording: a cut to it, then the steps after the first
    cut."""
    rest = recipe.steps
    fades: dict[str, Any] = {}
    if rest and rest[0].do == "cut":
        keep = ("fade_in", "fade_out", "curve_in", "curve_out")
        fades = {name: getattr(rest[0], name) for name in keep}
        rest = rest[1:]
    cut = parse_step({"do": "cut", "start": start_s, "end": end_s, **fades})
    return recipe.model_copy(update={"steps": [cut, *rest]})
