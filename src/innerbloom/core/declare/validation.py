"""Documents read, or refused in one sentence: the path of the first thing wrong, and the nearest name there is."""

from __future__ import annotations

from difflib import get_close_matches
from functools import cache
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from innerbloom.core.errors import BloomError, DocumentError

M = TypeVar("M", bound=BaseModel)
Schema = dict[str, Any]
_FEW = 8
"""Names up to which all that could be meant are said."""


def validated(
    model: type[M], data: Any, called: str, refusal: type[BloomError] = DocumentError
) -> M:
    """A document from plain data.

    Parameters
    ----------
    called : str
        What it is called in a refusal: ``"chain"``.

    Raises
    ------
    refusal
        One sentence that names the path of the first thing wrong.
    """
    try:
        return model.model_validate(data)
    except ValidationError as error:
        raise refusal(f"The {called} cannot be read: {first_wrong(error, model, data)}.") from error


def first_wrong(error: ValidationError, model: type[BaseModel], data: Any) -> str:
    """The path of the first thing wrong and why, as the end of a sentence without its stop."""
    path, why = problem_in(error, model, data)
    more = error.error_count() - 1
    also = f" ({more} more like it)" if more else ""
    return f"{'.'.join(map(str, path)) or 'document'}: {why}{also}"


def problem_in(
    error: ValidationError, model: type[BaseModel], data: Any
) -> tuple[tuple[str | int, ...], str]:
    """Where in the data the first thing is wrong, and why."""
    found = error.errors(include_url=False, include_context=False)
    first = _most_telling(found)
    loc: tuple[str | int, ...] = first["loc"]
    if first["type"] == "extra_forbidden":
        path, known = _walked(_schema(model), data, loc[:-1])
        return (*path, loc[-1]), _unknown(str(loc[-1]), known)
    path, _ = _walked(_schema(model), data, loc)
    if first["type"] == "kind":
        path = (*path, "kind")
    why = first["msg"].rstrip(".").removeprefix("Value error, ")
    return path, f"{why[0].lower()}{why[1:]}"


def _most_telling(found: list[Any]) -> Any:
    """The first; where something is missing, what stands there in its place under another name."""
    first = found[0]
    if first["type"] != "missing":
        return first
    around = first["loc"][:-1]
    astray = (one for one in found if one["type"] == "extra_forbidden")
    return next((one for one in astray if one["loc"][:-1] == around), first)


def nearest(name: str, known: list[str]) -> str | None:
    """The name that was probably meant; None where there is none like it."""
    return next(iter(get_close_matches(name, known, n=1)), None)


def _unknown(name: str, known: list[str]) -> str:
    meant = nearest(name, known)
    if meant is not None:
        return f"there is no such name here, the nearest is '{meant}'"
    if 0 < len(known) <= _FEW:
        return f"there is no such name here, but {', '.join(known)}"
    return "there is no such name here"


@cache
def _schema(model: type[BaseModel]) -> Schema:
    return model.model_json_schema()


def _walked(
    whole: Schema, data: Any, loc: tuple[str | int, ...]
) -> tuple[tuple[str | int, ...], list[str]]:
    """The path as it stands in the data, without the tags of unions, and the names known at its end."""
    node, path = _resolved(whole, whole, data), list[str | int]()
    for part in loc:
        if isinstance(data, dict) and part in data:
            inner = node.get("properties", {}).get(part, node.get("additionalProperties", {}))
        elif isinstance(data, list) and isinstance(part, int) and part < len(data):
            inner = _item(node, part)
        elif isinstance(data, dict) and part in node.get("properties", {}):
            # what is missing
            inner = node["properties"][part]
            path.append(part)
            continue
        else:
            continue
        data = data[part]
        node = _resolved(whole, inner if isinstance(inner, dict) else {}, data)
        path.append(part)
    return tuple(path), list(node.get("properties", {}))


def _item(node: Schema, at: int) -> Schema:
    ahead = node.get("prefixItems", [])
    found: Schema = ahead[at] if at < len(ahead) else node.get("items", {})
    return found


def _resolved(whole: Schema, node: Schema, data: Any) -> Schema:
    """A schema without references, and of a union the branch that the data means."""
    while True:
        if "$ref" in node:
            node = whole["$defs"][node["$ref"].rsplit("/", 1)[1]]
        elif "allOf" in node and len(node["allOf"]) == 1:
            node = node["allOf"][0]
        elif "oneOf" in node or "anyOf" in node:
            node = _branch(whole, node, data)
        else:
            return node


def _branch(whole: Schema, node: Schema, data: Any) -> Schema:
    told = node.get("discriminator")
    if told and isinstance(data, dict):
        kind = data.get(told["propertyName"])
        named = told.get("mapping", {}).get(kind) if isinstance(kind, str) else None
        return {"$ref": named} if named else {}
    branches: list[Schema] = node.get("oneOf") or node["anyOf"]
    options = [_resolved(whole, one, data) for one in branches]
    if isinstance(data, dict):
        return max(options, key=lambda one: len(set(one.get("properties", {})) & set(data)))
    if isinstance(data, list):
        return next((one for one in options if one.get("type") == "array"), {})
    return {}
