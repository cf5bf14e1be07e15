"""Ensembles over HTTP: what may be asked, and what comes back."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from innerbloom.core.ensemble.document import MAX_PLAYERS, Ensemble
from innerbloom.store.models import Document
from innerbloom.web.schemas import _In

PlayerId = Annotated[str, Field(max_length=16)]


class EnsembleLine(BaseModel):
    id: int
    name: str
    revision: int
    changed: datetime
    players: list[str]

    @classmethod
    def of(cls, row: Document) -> EnsembleLine:
        return cls(
            id=row.id, name=row.name, revision=row.revision, changed=row.changed,
            players=row.summary.get("petals", []),
        )  # fmt: skip


class EnsembleList(BaseModel):
    ensembles: list[EnsembleLine]


class EnsembleIn(_In):
    """A new ensemble of some instruments."""

    name: str = Field(default="Ensemble", min_length=1, max_length=120)
    instruments: list[int] = Field(default=[], max_length=MAX_PLAYERS)


class EnsembleHeard(BaseModel):
    """An ensemble with its instruments in it, as the engine takes it; ``gone`` are the players
    whose instrument is no longer there."""

    revision: int
    document: Ensemble
    gone: list[str]


class _Do(_In):
    revision: int = Field(ge=0)


class AddPlayer(_Do):
    do: Literal["add player"]
    instrument: int


class ReplacePlayer(_Do):
    """Another instrument in a player's place."""

    do: Literal["replace player"]
    player: PlayerId
    instrument: int


class RemovePlayer(_Do):
    do: Literal["remove player"]
    player: PlayerId


EnsembleAction = AddPlayer | ReplacePlayer | RemovePlayer


class EnsembleActionIn(_In):
    action: EnsembleAction = Field(discriminator="do")
