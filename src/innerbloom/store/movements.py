"""Movements kept for reuse: modulators with their routes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from innerbloom.store.files import FileStore
from innerbloom.store.kept import KeptPieces


@dataclass(frozen=True)
class Kept:
    """A movement on the shelf."""

    id: str
    name: str
    kind: str
    routes: int


def movements_of(files: FileStore) -> KeptPieces[Kept]:
    """The movements of a project."""
    return KeptPieces(files.movements, "movement", _described, lambda one: one.name)


def _described(id_: str, piece: Any) -> Kept:
    modulator = piece["modulator"]
    return Kept(id_, str(modulator["name"]), str(modulator["kind"]), len(piece["routes"]))
