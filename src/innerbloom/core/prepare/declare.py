"""What a step of a recipe is. Every kind is declared once, as one of these.

Validation, the published schema, the controls on the Bench, the sentences in the list of
steps and the reference page come from the declarations.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Literal, Protocol

from pydantic import BaseModel, ConfigDict, Field, create_model

from innerbloom.core.declare.parameters import Choice, Parameter
from innerbloom.core.prepare.clip import Clip

Progress = Callable[[float], bool]


class Step(BaseModel):
    """Base of the generated models of steps."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    do: str
    on: bool = True


class Context(Protocol):
    """What a step may ask for beside the clip."""

    tuning: float

    def told(self, share: float) -> bool:
        """Tell how far the step is; False once it should stop."""

    def noise(self, start_s: float, end_s: float) -> Clip:
        """A stretch of the source after the steps before this one that only filter."""


@dataclass(frozen=True)
class StepKind:
    """One kind of step.

    Attributes
    ----------
    id, name, help : str
    group : str
        Heading it stands under in the list of steps to add.
    apply : callable
        ``apply(clip, step, context) -> Clip``; raises a BloomError with one sentence.
    describe : callable
        ``describe(step) -> str``, a phrase for the list of steps.
    parameters, choices : tuple
    filters : bool
        Whether it is a plain filter, which a stretch of noise can be sent through too.
    shown : dict
        Parameters and choices that only matter under some value of a choice:
        ``{"note": ("target", ("a note", "a scale"))}``.
    """

    id: str
    name: str
    help: str
    group: str
    apply: Callable[[Clip, Any, Context], Clip]
    describe: Callable[[Any], str]
    parameters: tuple[Parameter, ...] = ()
    choices: tuple[Choice, ...] = ()
    filters: bool = False
    shown: dict[str, tuple[str, tuple[str, ...]]] = field(default_factory=dict)

    def model(self) -> type[Step]:
        """The pydantic model of one step of this kind."""
        fields: dict[str, Any] = {"do": (Literal[self.id], self.id)}  # type: ignore[name-defined]
        for p in self.parameters:
            of = int if p.whole_number else float
            fields[p.id] = (
                of,
                Field(
                    default=of(p.default),
                    ge=p.low,
                    le=p.high,
                    description=f"{p.help} Unit: {p.unit or 'none'}.",
                ),
            )
        for c in self.choices:
            fields[c.id] = (Literal[c.options], Field(default=c.default, description=c.help))
        return create_model(f"{self.id.title()}Step", __base__=Step, **fields)
