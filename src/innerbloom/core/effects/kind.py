"""What a kind of effect is, and how one works on a stream of sound."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.parameters import Choice, Declared

EFFECT: tuple[Declared, ...] = (
    Choice("on", "effect", ("on", "off"), "on", "Off lets the sound pass as it is.", "Effect"),
)
"""What every effect has beside the parameters of its kind."""


class Ticks(NamedTuple):
    """When a stretch of sound is, and what an effect is set to meanwhile.

    Attributes
    ----------
    first : int
        Number of its first tick since the section began: work in batches keeps to this clock, so
        that nothing depends on how time is cut.
    age_s : float
        Seconds since the newest note began.
    values : record array, shape (ticks,)
        Settings of the kind by name, with all movement in them, at each tick.
    """

    first: int
    age_s: float
    values: NDArray[Any]


class Effect:
    """The state of one effect. What is not overridden suits an effect without a memory."""

    latency = 0
    """Frames by which what comes out lies behind what goes in."""

    def process(self, audio: NDArray[np.float32], ticks: Ticks) -> None:
        """Work on whole ticks in place; ``audio`` has shape (ticks * TICK, 2)."""
        raise NotImplementedError

    def ringing(self) -> bool:
        """Whether something of what went in is still to come out."""
        return False

    def tail_s(self) -> float:
        """At most how many seconds it sounds on after its input has ended."""
        return 0.0

    def copied(self) -> Effect:
        """The same effect, going its own way from here."""
        return self


@dataclass(frozen=True)
class EffectKind:
    """One kind of effect: all that the rest of the product knows of it.

    Attributes
    ----------
    id, name, help : str
    parameters : tuple
        Those of every effect come before them in records.
    make : callable
        ``make(made)`` gives a fresh :class:`Effect`; ``made`` is what ``prepare`` found.
    prepare : callable or None
        ``prepare(sound, materials)`` finds what an effect with a sound needs of it; it may raise
        a BloomError.
    sound : {"none", "one"}
        Whether it works with a sound of the shelf.
    """

    id: str
    name: str
    parameters: tuple[Declared, ...]
    make: Callable[[Any], Effect]
    help: str
    prepare: Callable[[Any, Any], Any] | None = None
    sound: Literal["none", "one"] = "none"

    @property
    def declared(self) -> tuple[Declared, ...]:
        """All its parameters, in the order of the engine's records."""
        return EFFECT + self.parameters

    @property
    def settings_name(self) -> str:
        """Under which its settings are published."""
        return f"{self.id.title()}EffectSettings"
