"""What may be asked of an instrument's modulators and routes, and what comes back."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from innerbloom.core.declare.revisions import Patch
from innerbloom.core.instrument.modulation import MAX_ROUTES, SourceName
from innerbloom.web.schemas import _In

Owner = Annotated[str, Field(max_length=16)]
ParameterName = Annotated[str, Field(max_length=40)]


class _Do(_In):
    revision: int = Field(ge=0)


class AddModulator(_Do):
    do: Literal["add modulator"]
    kind: str = Field(max_length=16)
    name: str = Field(default="", max_length=120)


class Remove(_Do):
    """Take modulators or routes away, with whatever spoke of them."""

    do: Literal["remove"]
    ids: list[Owner] = Field(min_length=1, max_length=MAX_ROUTES)


class AddRoute(_Do):
    """A route more; ``low`` and ``high`` say where it lands, in the target's own unit."""

    do: Literal["route"]
    source: SourceName
    target: Owner
    parameter: ParameterName
    depth: float | None = None
    low: float | None = None
    high: float | None = None


class Say(_Do):
    do: Literal["say"]
    text: str = Field(max_length=400)


class Land(_Do):
    do: Literal["land"]
    route: Owner
    low: float
    high: float


class Mirror(_Do):
    do: Literal["mirror"]
    route: Owner
    target: Owner
    parameter: ParameterName


class RandomMacros(_Do):
    do: Literal["random macros"]
    seed: int = Field(ge=0, le=2**31)


class TakeCourse(_Do):
    """Let a contour take its course from a recording of the shelf."""

    do: Literal["take course"]
    modulator: Owner
    recording: int


class DropPiece(_Do):
    """Put a movement kept from another instrument in."""

    do: Literal["drop"]
    movement: str = Field(max_length=40)


class Adopt(_Do):
    """Lay a route of a kept movement, which found no target, to one that is chosen for it."""

    do: Literal["adopt"]
    movement: str = Field(max_length=40)
    which: int = Field(ge=0, le=1_000)
    modulator: Owner
    target: Owner
    parameter: ParameterName


MovementAction = (
    AddModulator | Remove | AddRoute | Say | Land | Mirror | RandomMacros | TakeCourse
    | DropPiece | Adopt
)  # fmt: skip


class MissedIn(_In):
    movement: str = Field(max_length=40)
    modulator: Owner


class Offer(BaseModel):
    owner: str
    parameter: str
    name: str


class MissedRoute(BaseModel):
    """A route of a kept movement that found no target, and what comes nearest to it here."""

    which: int
    name: str
    offers: list[Offer]


class MissedOut(BaseModel):
    missed: list[MissedRoute]


class MovementActionIn(_In):
    action: MovementAction = Field(discriminator="do")


class SeenIn(_In):
    """What was seen to move while notes sounded; keys are ``owner.parameter``."""

    looks: int = Field(default=0, ge=0)
    ranges: dict[str, tuple[float, float]] = Field(default_factory=dict)
    clamped: dict[str, float] = Field(default_factory=dict)


class RouteReading(BaseModel):
    """A route in words, the band it lands in, and the least and most it adds."""

    id: str
    source: str
    owner: str
    parameter: str
    amount: str
    more: list[str]
    petal: str
    unit: str
    moved_in: str
    low: float
    high: float
    least: float
    most: float


class TargetReading(BaseModel):
    owner: str
    parameter: str
    name: str
    low: float
    high: float


SourceGroup = Literal["modulator", "macro", "played", "envelope"]


class SourceReading(BaseModel):
    id: str
    name: str
    two_sided: bool
    group: SourceGroup


class FindingOut(BaseModel):
    id: str
    about: list[str]
    text: str
    fix: str
    patch: Patch


class MovementOut(BaseModel):
    """All that moves in an instrument, as a screen shows it."""

    revision: int
    routes: list[RouteReading]
    targets: list[TargetReading]
    sources: list[SourceReading]
    findings: list[FindingOut]


class CompletionIn(_In):
    text: str = Field(max_length=400)


class CompletionOut(BaseModel):
    sentences: list[str]


class KeepMovement(_In):
    instrument: int
    modulator: Owner


class KeptMovement(BaseModel):
    """A modulator with its routes, kept for reuse."""

    id: str
    name: str
    kind: str
    routes: int


class KeptMovements(BaseModel):
    movements: list[KeptMovement]
