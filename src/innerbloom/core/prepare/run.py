"""Running a recipe on a recording, step by step, from the furthest stage that was kept."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.errors import BloomError, Cancelled
from innerbloom.core.prepare.clip import Clip
from innerbloom.core.prepare.declare import Step
from innerbloom.core.prepare.pitching import MOST_S
from innerbloom.core.prepare.recipe import STEP_KINDS, Recipe

Progress = Callable[[float], bool]


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
