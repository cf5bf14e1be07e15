"""Documents with revisions: JSON Patches (RFC 6902) with their inverses; undo and redo are
revisions too."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any, Generic, Literal, NotRequired, TypeVar

import jsonpatch
import jsonpointer
from pydantic import BaseModel, ConfigDict
from typing_extensions import TypedDict

from innerbloom.core.errors import DocumentError

Plain = dict[str, Any]
Way = Literal["undo", "redo"]

MOST_OPERATIONS = 500
MOST_COPIES = 4
"""Copies of a part into itself double it each time."""

MOST_BYTES = 32 << 20
"""Of a document, as JSON."""

_Operation = TypedDict(
    "_Operation",
    {
        "op": Literal["add", "remove", "replace", "move", "copy", "test"],
        "path": str,
        "from": NotRequired[str],
        "value": NotRequired[Any],
    },
)


class Operation(_Operation):
    """One operation of a JSON Patch (RFC 6902, section 4)."""

    # for the published schema: what is not there is not meant
    __pydantic_config__ = ConfigDict(json_schema_extra={"x-partial": True})  # type: ignore[misc]


Patch = list[Operation]
M = TypeVar("M", bound=BaseModel)


def _no_sentences(_: Any) -> list[str]:
    return []


def _no_summary(_: Plain) -> Plain:
    return {}


@dataclass(frozen=True)
class DocumentKind(Generic[M]):
    """One kind of document that is kept with revisions.

    Attributes
    ----------
    id : str
    name : str
        What such a document is called in a sentence: ``"recipe"``.
    model : type
        The pydantic model, from which the wire's types come.
    parse : callable
        Validates plain data; raises a BloomError with one sentence.
    sentences : callable
        What a document says in words, for kinds that read as sentences.
    summary : callable
        What a list of such documents shows, as small plain data, of a complete one.
    """

    id: str
    name: str
    model: type[M]
    parse: Callable[[Any], M]
    sentences: Callable[[M], list[str]] = _no_sentences
    summary: Callable[[Plain], Plain] = _no_summary

    def complete(self, plain: Plain) -> Plain:
        """A stored document with every setting in it, those that came after it was stored too."""
        return self.parse(plain).model_dump(mode="json")

    def patched(self, plain: Plain, patch: Patch) -> tuple[Plain, Patch]:
        """Apply a patch to a document; gives the new document and the inverse patch.

        Raises
        ------
        DocumentError
            If the patch cannot be applied.
        BloomError
            If the result is not valid.
        """
        if len(patch) > MOST_OPERATIONS:
            raise DocumentError(
                f"The change has {len(patch)} steps; {MOST_OPERATIONS} is the most."
            )
        if sum(one.get("op") == "copy" for one in patch) > MOST_COPIES:
            raise DocumentError(f"The change copies more than {MOST_COPIES} times.")
        before = self.complete(plain)
        try:
            changed = jsonpatch.apply_patch(before, patch)
        except (
            jsonpatch.JsonPatchException,
            jsonpointer.JsonPointerException,
            TypeError,
            KeyError,
            RecursionError,
        ) as error:
            raise DocumentError(f"The change does not fit the {self.name}: {error}.") from error
        if len(json.dumps(changed)) > MOST_BYTES:
            raise DocumentError(
                f"The {self.name} would grow beyond {MOST_BYTES >> 20} MB: leave something out."
            )
        after = self.complete(changed)
        return after, difference(after, before)


def difference(before: Plain, after: Plain) -> Patch:
    """The patch that leads from one document to another."""
    found: list[Any] = list(jsonpatch.make_patch(before, after))
    return found


@dataclass(frozen=True)
class Step:
    """One revision as history sees it."""

    number: int
    kind: str


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
