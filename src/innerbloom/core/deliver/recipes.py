"""How each sound of a delivery was made: enough to make it again in this project, or to read it elsewhere."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict


class SoundRecipe(BaseModel):
    """One sound that is placed.

    Attributes
    ----------
    source : str
        SHA-256 of it, or the id of a take.
    kind : str
        ``recording``, ``clip``, ``wavetable``, ``spectrum`` or ``take``.
    made : dict
        What it was made by, as the project keeps it: steps of a recipe, an instrument and how it was
        played, a stretch of a take; empty for a recording.
    made_from : list of str
        Names of all sounds that it goes back to, the nearest first.
    """

    model_config = ConfigDict(extra="forbid")

    name: str
    source: str
    kind: str
    made: dict[str, Any] = {}
    made_from: list[str] = []


class Recipes(BaseModel):
    """All of a delivery's."""

    model_config = ConfigDict(extra="forbid")

    format: Literal["inner-bloom/recipes"] = "inner-bloom/recipes"
    version: Literal[1] = 1
    sounds: list[SoundRecipe]
