"""What stands in the document between layers and output: effects, sends, shared buses."""

from __future__ import annotations

from functools import cache
from typing import TYPE_CHECKING, Annotated, Any, Literal, TypeAlias

from pydantic import Field, create_model

from innerbloom.core.declare.model import Id, Model, Name, Share, refuse
from innerbloom.core.declare.parameters import Settings
from innerbloom.core.declare.registry import ByKind, settings_of
from innerbloom.core.declare.sound import Sound
from innerbloom.core.declare.validation import validated
from innerbloom.core.instrument.catalogue import EFFECT_KINDS, BusSettings, SendSettings
from innerbloom.core.instrument.owners import MAIN

MAX_BUSES = 4
MAX_EFFECTS = 16
"""Effects that one stream may pass."""

MAX_LEVEL_POINTS = 32

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
    listens_to : str or None
        Id of the layer that it listens to in place of its own stream.
    drawn_level : list of (place, level)
        Gain along the sound that it works with, both in 0..1, places rising.
    """

    id: Id
    kind: str
    sound: Sound | None = None
    listens_to: Id | None = None
    drawn_level: list[tuple[Share, Share]] = Field(
        default=[(0.0, 1.0), (1.0, 1.0)], min_length=2, max_length=MAX_LEVEL_POINTS
    )
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


def parse_effect(plain: dict[str, Any]) -> Effect:
    """One effect by itself; raises a DocumentError where it is none."""
    return validated(_Alone, {"effect": plain}, "effect").effect


AnyEffect = Annotated[Effect, ByKind(EFFECT_KINDS, effect_model, "an effect")]
Effects = Annotated[list[AnyEffect], Field(max_length=MAX_EFFECTS)]


class _Alone(Model):
    effect: AnyEffect


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
    _check_effects(document)


def _check_effects(document: Any) -> None:
    layers = {layer.id for layer in document.layers}
    chains = [("effects", document.effects)]
    for part in ("layers", "buses"):
        chains += [
            (f"{part}.{i}.effects", one.effects) for i, one in enumerate(getattr(document, part))
        ]
    for path, effects in chains:
        for number, effect in enumerate(effects):
            along = [place for place, _ in effect.drawn_level]
            if along != sorted(along):
                raise refuse(f"{path}.{number}.drawn_level", "its places have to rise")
            if effect.listens_to is not None and effect.listens_to not in layers:
                why = f"there is no layer '{effect.listens_to}' to listen to"
                raise refuse(f"{path}.{number}.listens_to", why)
