"""Movements kept for reuse: modulators with their routes, one JSON file each in the project."""

from __future__ import annotations

import json
import uuid
from dataclasses import dataclass
from typing import Any

from innerbloom.core.atomic import written_whole
from innerbloom.core.errors import BloomError
from innerbloom.store.files import FileStore


@dataclass(frozen=True)
class Kept:
    """A movement on the shelf."""

    id: str
    name: str
    kind: str
    routes: int


def keep(files: FileStore, piece: dict[str, Any]) -> Kept:
    """Put a movement on the shelf."""
    id_ = uuid.uuid4().hex[:12]
    files.movements.mkdir(exist_ok=True)
    path = files.movements / f"{id_}.json"
    with written_whole(path) as beside:
        beside.write_text(json.dumps(piece, indent=1), encoding="utf-8")
    return _described(id_, piece)


def listed(files: FileStore) -> list[Kept]:
    """All that are kept, by name; files that are none are left out."""
    found = []
    for path in sorted(files.movements.glob("*.json")) if files.movements.exists() else ():
        try:
            found.append(_described(path.stem, json.loads(path.read_text(encoding="utf-8"))))
        except (ValueError, KeyError, TypeError, AttributeError):
            continue
    return sorted(found, key=lambda one: one.name.casefold())


def taken(files: FileStore, id_: str) -> Any:
    """One movement's data.

    Raises
    ------
    BloomError
        If it is no longer kept, or its file is damaged.
    """
    path = files.movements / f"{id_}.json"
    if not id_.isalnum() or not path.exists():
        raise BloomError("This movement is no longer kept.")
    try:
        return json.loads(path.read_text(encoding="utf-8"))
    except ValueError as error:
        raise BloomError("The file of this movement is damaged: keep it again.") from error


def forget(files: FileStore, id_: str) -> None:
    """Take one off the shelf; nothing happens if it is gone already."""
    if id_.isalnum():
        (files.movements / f"{id_}.json").unlink(missing_ok=True)


def _described(id_: str, piece: Any) -> Kept:
    modulator = piece["modulator"]
    return Kept(id_, str(modulator["name"]), str(modulator["kind"]), len(piece["routes"]))
