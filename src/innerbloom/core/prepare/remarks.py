"""What is to be said of what a recipe made: a peak above the one it asked for."""

from __future__ import annotations

from typing import Any

from innerbloom.core.prepare import words as w
from innerbloom.core.prepare.recipe import Recipe

_HEARD_DB = 0.1
"""Closer than this a peak is where it was asked to be."""


def over_target(recipe: Recipe, peak_dbfs: float | None, true_peak_dbtp: float | None) -> str:
    """A sentence, if what came out peaks above what *Normalise* was told or above full scale.

    Steps after a *Normalise* move the level again; that is allowed, but never silent.
    """
    for number, step in reversed(list(enumerate(recipe.steps, 1))):
        if step.do != "normalise" or not step.on:
            continue
        said: Any = step
        if said.to == "loudness":
            break
        unit, peak = ("dBTP", true_peak_dbtp) if said.to == "true peak" else ("dBFS", peak_dbfs)
        if peak is None or peak <= said.peak + _HEARD_DB:
            return ""
        return (
            f"The result peaks at {w.level(peak, unit, 2)}, above the "
            f"{w.level(said.peak, unit)} of step {number}: move Normalise after what raises it."
        )
    if peak_dbfs is not None and peak_dbfs > _HEARD_DB:
        return f"The result peaks at {w.level(peak_dbfs, 'dBFS', 2)}: other programs may clip it."
    return ""
