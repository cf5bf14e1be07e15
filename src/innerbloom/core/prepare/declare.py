"""What a step of a recipe is. Every kind is declared once, as one of these.

Validation, the published schema, the controls on the Bench, the sentences in the list of
steps and the reference page come from the declarations.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Any, Literal, Protocol

from innerbloom.core.declare.parameters import Declared, Settings, settings_model
from innerbloom.core.prepare.clip import Clip

Progress = Callable[[float], bool]


class Step(Settings):
    """Base of the generated models of steps."""

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
    declared : tuple
        What can be set.
    order : int
        Where in a recipe it usually belongs: a new step goes after those of its order or less,
        so that levels are set and loops are laid on what the other steps have made.
    filters : bool
        Whether it is a plain filter, which a stretch of noise can be sent through too.
    """

    id: str
    name: str
    help: str
    group: str
    apply: Callable[[Clip, Any, Context], Clip]
    describe: Callable[[Any], str]
    declared: tuple[Declared, ...] = ()
    order: int = 50
    filters: bool = False

    @property
    def settings_name(self) -> str:
        """Name of the model of a step of this kind."""
        return f"{self.id.title()}Step"


@cache
def step_model(kind: StepKind) -> type[Step]:
    """The pydantic model of a step of one kind."""
    do = (Literal[kind.id], kind.id)  # type: ignore[name-defined]
    return settings_model(kind.settings_name, kind.declared, base=Step, do=do)
