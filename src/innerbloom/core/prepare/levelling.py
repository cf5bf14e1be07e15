"""Pieces of one recording levelled together: the dynamics between them stay."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from innerbloom.core.errors import BloomError
from innerbloom.core.prepare.cleaning import level_of
from innerbloom.core.prepare.recipe import Recipe, parse_step, piece_recipe
from innerbloom.core.prepare.run import Progress, Source, run_recipe


def levelled_together(
    recipe: Recipe,
    source: Source,
    stretches: Sequence[tuple[float, float]],
    *,
    tuning: float = 440.0,
    progress: Progress | None = None,
) -> Recipe:
    """The recipe with its first *Normalise* as a gain: the one that suits the loudest piece.

    Parameters
    ----------
    stretches : sequence of (start, end)
        The pieces, in seconds of the recording.
    """
    steps = recipe.steps
    at = next((i for i, step in enumerate(steps) if step.do == "normalise" and step.on), None)
    if at is None:
        return recipe
    wanted: Any = steps[at]
    before = recipe.model_copy(update={"steps": steps[:at]})
    loudest = -math.inf
    for number, (start, end) in enumerate(stretches):
        try:
            clip = run_recipe(piece_recipe(before, start, end), source, tuning=tuning)
            loudest = max(loudest, level_of(clip, wanted))
        except BloomError:
            pass  # what fails is named when the piece is made
        if progress is not None:
            progress((number + 1) / len(stretches))
    if not math.isfinite(loudest):
        return recipe
    target = wanted.loudness if wanted.to == "loudness" else wanted.peak
    gain = parse_step({"do": "gain", "level": max(-60.0, min(60.0, target - loudest))})
    return recipe.model_copy(update={"steps": [*steps[:at], gain, *steps[at + 1 :]]})
