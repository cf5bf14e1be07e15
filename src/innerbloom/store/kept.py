"""Pieces kept for reuse under a name, one JSON file each in the project."""

from __future__ import annotations

import json
import uuid
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Generic, TypeVar

from innerbloom.core.atomic import written_whole
from innerbloom.core.errors import BloomError

D = TypeVar("D")


@dataclass(frozen=True)
class KeptPieces(Generic[D]):
    """One kind of piece.

    Attributes
    ----------
    folder : Path
    what : str
        What such a piece is called: ``"movement"``.
    described : callable
        ``described(id, piece)`` gives what a list says of it; KeyError or TypeError if it is none.
    name : callable
        The name that lists are sorted by.
    """

    folder: Path
    what: str
    described: Callable[[str, Any], D]
    name: Callable[[D], str]

    def keep(self, piece: dict[str, Any]) -> D:
        """Put one on the shelf."""
        id_ = uuid.uuid4().hex[:12]
        self.folder.mkdir(exist_ok=True)
        with written_whole(self.folder / f"{id_}.json") as beside:
            beside.write_text(json.dumps(piece, indent=1), encoding="utf-8")
        return self.described(id_, piece)

    def listed(self) -> list[D]:
        """All that are kept, by name; files that are none are left out."""
        found = []
        for path in sorted(self.folder.glob("*.json")) if self.folder.exists() else ():
            try:
                piece = json.loads(path.read_text(encoding="utf-8"))
                found.append(self.described(path.stem, piece))
            except (ValueError, KeyError, TypeError, AttributeError):
                continue
        return sorted(found, key=lambda one: self.name(one).casefold())

    def taken(self, id_: str) -> Any:
        """One piece's data.

        Raises
        ------
        BloomError
            If it is no longer kept, or its file is damaged.
        """
        path = self.folder / f"{id_}.json"
        if not id_.isalnum() or not path.exists():
            raise BloomError(f"This {self.what} is no longer kept.")
        try:
            return json.loads(path.read_text(encoding="utf-8"))
        except ValueError as error:
            raise BloomError(f"The file of this {self.what} is damaged: keep it again.") from error

    def forget(self, id_: str) -> None:
        """Take one off the shelf; nothing happens if it is gone already."""
        if id_.isalnum():
            (self.folder / f"{id_}.json").unlink(missing_ok=True)
