"""What stands in the document between layers and output: effects, sends, shared buses."""

from __future__ import annotations

from functools import cache
from typing import TYPE_CHECKING, Annotated, Any, Literal, TypeAlias

from pydantic import Field, create_model

from innerbloom.core.declare.model import Id, Model, Name, refuse
from innerbloom.core.declare.parameters import Settings
from innerbloom.core.declare.registry import ByKind, settings_of
from innerbloom.core.declare.sound import Sound
from innerbloom.core.instrument.catalogue import EFFECT_KINDS, BusSettings, SendSettings
from innerbloom.core.instrument.owners import MAIN

MAX_BUSES = 4
MAX_EFFECTS = 16
"""Effects that one stream may pass."""

if TYPE_CHECKING:
    BusModel: TypeAlias = Settings
    SendModel: TypeAlias = Settings
else:
    BusModel, SendModel = BusSettings, SendSettings


class Effect(Model):
    """What all kinds of effect share.

    Attributes
    ----------
    sound : Sound or None
        What an effect that works with a sound works with; without one it does nothing.
    """

    id: Id
    kind: str
    sound: Sound | None = None
    settings: Settings


@cache
def effect_model(kind: str) -> type[Effect]:
    """The model of one kind of effect."""
    settings = settings_of(EFFECT_KINDS[kind])
    return create_model(
        f"{kind.title()}Effect",
        __base__=Effect,
        kind=(Literal[kind], kind),  # type: ignore[valid-type, arg-type]
        settings=(settings, Field(default_factory=settings)),
    )


AnyEffect = Annotated[Effect, ByKind(EFFECT_KINDS, effect_model, "an effect")]
Effects = Annotated[list[AnyEffect], Field(max_length=MAX_EFFECTS)]


class Send(Model):
    """What a layer sends to a shared bus, beside its output; ``to`` is the bus's id."""

    id: Id
    to: Id
    settings: SendModel = Field(default_factory=SendSettings)


class Bus(Model):
    """A shared bus, with effects of its own; it goes to the main bus."""

    id: Id
    name: Name
    effects: Effects = Field(default_factory=list)
    settings: BusModel = Field(default_factory=BusSettings)


def check_mixing(document: Any) -> None:
    """See that outputs and sends speak of buses that are there.

    Raises
    ------
    DocumentError
    """
    buses = {bus.id for bus in document.buses}
    for number, layer in enumerate(document.layers):
        if layer.output not in buses | {MAIN}:
            raise refuse(f"layers.{number}.output", f"there is no bus '{layer.output}'")
        for i, send in enumerate(layer.sends):
            if send.to not in buses:
                raise refuse(f"layers.{number}.sends.{i}.to", f"there is no bus '{send.to}'")
