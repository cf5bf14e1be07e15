"""What a parameter is. Every parameter of the product is declared once, as one of these.

Validation, the document's schema, the engine's records, the rules on screen and the
reference page are all derived from the declarations.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, create_model

Scale = Literal["linear", "log", "decibel", "cubic"]
Scope = Literal["voice", "layer", "whole"]


@dataclass(frozen=True)
class Parameter:
    """One continuous or whole-number value that a user can set.

    Attributes
    ----------
    id : str
        Name in documents and engine records.
    name, group : str
        Words on screen and the heading they stand under.
    unit : str
        Unit of ``low``, ``high`` and ``default``: ``%``, ``ms``, ``/s``, ``st``
        (semitones), ``ct`` (cents), ``dB``, ``Hz``, ``x``, or empty for a plain number.
    low, high, default : float
        Inclusive range and the value of a fresh instrument.
    scale : {"linear", "log", "decibel", "cubic"}
        How a rule spreads the range; ``log`` needs ``low > 0``, ``cubic`` gives room to small
        values and reaches 0.
    scope : {"voice", "layer", "whole"}
        Where one value applies.
    help : str
        One sentence.
    whole_number, movable : bool
        Whether only integers make sense, and whether modulation may target it.
    sign : bool
        Whether the value is a symmetric amount, shown with a plus-minus sign.
    """

    id: str
    name: str
    group: str
    unit: str
    low: float
    high: float
    default: float
    help: str
    scale: Scale = "linear"
    scope: Scope = "layer"
    whole_number: bool = False
    movable: bool = True
    sign: bool = False

    def __post_init__(self) -> None:
        if not self.low <= self.default <= self.high:
            raise ValueError(f"{self.id}: default {self.default} outside {self.low}..{self.high}")
        if self.scale == "log" and self.low <= 0:
            raise ValueError(f"{self.id}: a log scale needs a low end above zero")


class Settings(BaseModel):
    """Base of the generated settings models: no unknown names, no NaN or infinity."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, validate_assignment=True)


def settings_model(name: str, parameters: tuple[Parameter, ...]) -> type[Settings]:
    """A pydantic model with one ranged field for each parameter."""
    fields: dict[str, Any] = {
        p.id: (
            int if p.whole_number else float,
            Field(
                default=int(p.default) if p.whole_number else p.default,
                ge=p.low,
                le=p.high,
                title=p.name,
                description=f"{p.help} Unit: {p.unit or 'none'}.",
            ),
        )
        for p in parameters
    }
    return create_model(name, __base__=Settings, **fields)


def settings_dtype(parameters: tuple[Parameter, ...]) -> np.dtype[Any]:
    """The record type through which kernels read settings by name."""
    return np.dtype([(p.id, np.float64) for p in parameters], align=True)


def settings_record(settings: Settings, parameters: tuple[Parameter, ...]) -> NDArray[Any]:
    """Settings as a record array of shape (1,), in each parameter's own unit."""
    record = np.zeros(1, settings_dtype(parameters))
    for p in parameters:
        record[p.id] = getattr(settings, p.id)
    return record
