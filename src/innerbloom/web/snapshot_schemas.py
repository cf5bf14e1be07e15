"""What may be asked of an instrument's snapshots, and what is told of them."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from innerbloom.core.declare.model import Share
from innerbloom.web.schemas import _In

SnapshotId = Annotated[str, Field(max_length=16)]


class _Do(_In):
    revision: int = Field(ge=0)


class TakeSnapshot(_Do):
    """Keep the present state."""

    do: Literal["take snapshot"]
    name: str = Field(default="", max_length=120)


class OfSnapshot(_Do):
    """Let it be the present state, remove it, recall it, or say of all what was changed since."""

    do: Literal["replace snapshot", "remove snapshot", "recall", "say of all"]
    snapshot: SnapshotId


class StandAt(_Do):
    """Stand somewhere on the map."""

    do: Literal["stand"]
    across: Share
    up: Share


class PutOnMap(_Do):
    """Where on the map a snapshot lies: somewhere, wherever there is room, or nowhere."""

    do: Literal["put on the map"]
    snapshot: SnapshotId
    place: tuple[Share, Share] | Literal["free"] | None


class RollBetween(_Do):
    """A snapshot more, each setting somewhere between those of two others."""

    do: Literal["roll"]
    first: SnapshotId
    second: SnapshotId
    seed: int = Field(ge=0, le=2**31 - 1)


SnapshotAction = TakeSnapshot | OfSnapshot | StandAt | PutOnMap | RollBetween


class SnapshotActionIn(_In):
    action: SnapshotAction = Field(discriminator="do")


class SnapshotOut(BaseModel):
    """What is known of a snapshot beside the document.

    ``changes`` says what is set otherwise now; ``left_out`` how many of its settings belong to
    something that is gone.
    """

    id: str
    changes: list[str]
    left_out: int


class BlendedOut(BaseModel):
    """A setting that the map moves: what each snapshot has, in words, and as a number (the place
    of a choice's word among them)."""

    owner: str
    parameter: str
    name: str
    values: list[str]
    numbers: list[float]


class SnapshotsOut(BaseModel):
    """``blended`` is what the map moves; its values are in the order of the snapshots on it."""

    snapshots: list[SnapshotOut]
    blended: list[BlendedOut]
