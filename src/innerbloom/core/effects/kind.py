"""What a kind of effect is, and how one works on a stream of sound."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.parameters import Choice, Declared, Parameter

# fmt: off
EFFECT: tuple[Declared, ...] = (
    Choice("on", "effect", ("on", "off"), "on", "Off lets the sound pass as it is.", "Effect"),
    Parameter("beside", "beside", "Effect", "%", 0, 100, 0,
              "At 0 it takes what the effect before it gives; at 100 it takes what that one took, "
              "and both are added."),
)
# fmt: on
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
    beat_s : float
        Seconds of a beat.
    keys : tuple of float
        Keys that are down, as note numbers.
    heard : ndarray of float32, shape (ticks * TICK, 2), or None
        Voices of the layer that it listens to, ahead of that layer's own effects.
    sounds : bool
        Whether there is any sound in what it is given.
    """

    first: int
    age_s: float
    values: NDArray[Any]
    beat_s: float = 2.0 / 3.0
    keys: tuple[float, ...] = ()
    heard: NDArray[np.float32] | None = None
    sounds: bool = True


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

    def shown(self) -> list[float]:
        """What a picture of it shows now, in the order that its kind says."""
        return []


Picture = Literal["response", "levels", "shape", "decay", "partials", "none"]


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
    group : str
        The heading under which it is offered.
    prepare : callable or None
        ``prepare(effect, materials)`` finds what an effect of a document needs, of its sound for
        example; the same one for the same settings. It may raise a BloomError.
    sound : {"none", "one"}
        Whether it works with a sound of the shelf.
    listens : bool
        Whether it may listen to another layer.
    shows : tuple of str
        What each number of :meth:`Effect.shown` is.
    picture : {"response", "levels", "shape", "decay", "partials", "none"}
        What a picture of it draws: gain over frequency, level out over level in, sample out over
        sample in, level over time after a burst, or what comes of a tone; see
        :mod:`innerbloom.core.deliver.effect_picture`.
    """

    id: str
    name: str
    parameters: tuple[Declared, ...]
    make: Callable[[Any], Effect]
    help: str
    group: str = "Tone"
    prepare: Callable[[Any, Any], Any] | None = None
    sound: Literal["none", "one"] = "none"
    listens: bool = False
    shows: tuple[str, ...] = ()
    picture: Picture = "decay"

    @property
    def declared(self) -> tuple[Declared, ...]:
        """All its parameters, in the order of the engine's records."""
        return EFFECT + self.parameters

    @property
    def settings_name(self) -> str:
        """Under which its settings are published."""
        return f"{self.id.title()}EffectSettings"
