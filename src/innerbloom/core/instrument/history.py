"""Revisions: JSON Patches (RFC 6902) with their inverses; undo and redo are revisions too."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, Literal

import jsonpatch
import jsonpointer

from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.document import parse_instrument

Kind = Literal["edit", "undo", "redo"]
Patch = list[dict[str, Any]]
MOST_OPERATIONS = 500


@dataclass(frozen=True)
class Step:
    """One revision as history sees it."""

    number: int
    kind: str


def completed(document: dict[str, Any]) -> dict[str, Any]:
    """A stored document with every setting in it, those that came after it was stored too."""
    return parse_instrument(document).model_dump(mode="json")


def apply_patch(document: dict[str, Any], patch: Patch) -> tuple[dict[str, Any], Patch]:
    """Apply a patch to a document and return the new document and the inverse patch.

    Raises
    ------
    DocumentError
        If the patch cannot be applied or the result is not a valid instrument.
    """
    if len(patch) > MOST_OPERATIONS:
        raise DocumentError(f"The change has {len(patch)} steps; {MOST_OPERATIONS} is the most.")
    document = completed(document)
    try:
        changed = jsonpatch.apply_patch(document, patch)
    except (
        jsonpatch.JsonPatchException,
        jsonpointer.JsonPointerException,
        TypeError,
        KeyError,
    ) as error:
        raise DocumentError(f"The change does not fit the instrument: {error}.") from error
    changed = completed(changed)
    return changed, list(jsonpatch.make_patch(changed, document))


def open_steps(steps: Iterable[Step]) -> tuple[list[int], list[int]]:
    """Revisions that can be undone and redone, each oldest first.

    A new edit after an undo closes the way forward, but every revision stays stored.
    """
    undoable: list[int] = []
    redoable: list[int] = []
    for step in steps:
        if step.kind == "undo":
            redoable.append(undoable.pop())
        elif step.kind == "redo":
            undoable.append(redoable.pop())
        else:
            undoable.append(step.number)
            redoable.clear()
    return undoable, redoable
