"""What may be asked of an instrument's effects and buses, and what comes back."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from innerbloom.web.schemas import _In

Name = Annotated[str, Field(min_length=1, max_length=120)]
OwnerId = Annotated[str, Field(max_length=16)]


class _Do(_In):
    revision: int = Field(ge=0)


class AddEffect(_Do):
    """An effect more in a chain: a layer's, a bus's, or the instrument's."""

    do: Literal["add effect"]
    chain: OwnerId
    kind: str = Field(max_length=16)
    recording: int | None = None
    at: int | None = Field(default=None, ge=0, le=64)


class RemoveEffect(_Do):
    do: Literal["remove effect"]
    effect: OwnerId


class MoveEffect(_Do):
    do: Literal["move effect"]
    effect: OwnerId
    chain: OwnerId
    at: int = Field(ge=0, le=64)


class Lend(_Do):
    """A sound for an effect that works with one."""

    do: Literal["lend"]
    effect: OwnerId
    recording: int


class BodyThenRoom(_Do):
    do: Literal["body then room"]
    chain: OwnerId


class UseChain(_Do):
    """The effects of a kept chain, at the end of one."""

    do: Literal["use chain"]
    chain: OwnerId
    kept: str = Field(max_length=40)


class AddBus(_Do):
    do: Literal["add bus"]
    name: Name


class RemoveBus(_Do):
    do: Literal["remove bus"]
    bus: OwnerId


class AddSend(_Do):
    do: Literal["send"]
    layer: OwnerId
    bus: OwnerId


class RemoveSend(_Do):
    do: Literal["remove send"]
    send: OwnerId


class SetOutput(_Do):
    do: Literal["output"]
    layer: OwnerId
    bus: OwnerId


MixAction = (
    AddEffect
    | RemoveEffect
    | MoveEffect
    | Lend
    | BodyThenRoom
    | UseChain
    | AddBus
    | RemoveBus
    | AddSend
    | RemoveSend
    | SetOutput
)


class MixActionIn(_In):
    action: MixAction = Field(discriminator="do")


class PictureIn(_In):
    """An effect as it is in the document, changed or not."""

    effect: dict[str, Any]


class EffectPictureOut(BaseModel, from_attributes=True):
    """See :class:`.EffectPicture`."""

    points: list[tuple[float, float]]
    cost: float
    latency_ms: float


class KeepChain(_In):
    instrument: int
    chain: OwnerId
    name: Name


class KeptChain(BaseModel, from_attributes=True):
    id: str
    name: str
    kinds: list[str]


class KeptChains(BaseModel):
    chains: list[KeptChain]
