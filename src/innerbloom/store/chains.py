"""Chains of effects kept for reuse."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from innerbloom.store.files import FileStore
from innerbloom.store.kept import KeptPieces


@dataclass(frozen=True)
class Kept:
    """A chain on the shelf; ``kinds`` of its effects, in order."""

    id: str
    name: str
    kinds: tuple[str, ...]


def chains_of(files: FileStore) -> KeptPieces[Kept]:
    """The chains of a project."""
    return KeptPieces(files.chains, "chain", _described, lambda one: one.name)


def _described(id_: str, piece: Any) -> Kept:
    return Kept(id_, str(piece["name"]), tuple(str(one["kind"]) for one in piece["effects"]))
