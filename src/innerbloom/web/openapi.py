"""Making the description of the API tidier than it comes: one schema a model, and answers whole."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

from innerbloom.live.answers import ANSWER
from innerbloom.live.messages import MESSAGE

Spec = dict[str, Any]
_PREFIX = "#/components/schemas/"


def one_schema_a_model(spec: Any) -> Any:
    """A description with each model once, and what is answered marked as always there.

    The messages of the live socket are in it too, as ``LiveMessage`` and ``LiveAnswer``.
    Models within models come out once for each that holds them (``Parent.Child``), and fields with
    a default as if an answer might lack them, which it never does.
    """
    spec = _merged(spec)
    schemas: dict[str, Any] = spec["components"]["schemas"]
    for name, adapter in (("LiveMessage", MESSAGE), ("LiveAnswer", ANSWER)):
        schema = adapter.json_schema(ref_template=_PREFIX + "{model}")
        schemas |= schema.pop("$defs")
        schemas[name] = schema
    for name in _answered(spec):
        schema = schemas[name]
        if "properties" in schema and not schema.pop("x-partial", False):
            schema["required"] = list(schema["properties"])
    return spec


def _merged(spec: Spec) -> Spec:
    """References to ``Parent.Child`` lead to ``Child`` where all of that name are alike."""
    schemas = spec["components"]["schemas"]
    alike: dict[str, set[str]] = {}
    for name, schema in schemas.items():
        short = name.rsplit(".", 1)[-1]
        text = json.dumps(schema, sort_keys=True)
        for parent in {one.rsplit(".", 1)[0] for one in schemas if "." in one}:
            text = text.replace(f"{_PREFIX}{parent}.", _PREFIX)
        alike.setdefault(short, set()).add(text)
    renamed = {
        name: name.rsplit(".", 1)[-1]
        for name in schemas
        if "." in name and len(alike[name.rsplit(".", 1)[-1]]) == 1
    }
    text = json.dumps(spec)
    # the longest first: none is the beginning of another
    for name in sorted(renamed, key=len, reverse=True):
        text = text.replace(f'"{_PREFIX}{name}"', f'"{_PREFIX}{renamed[name]}"')
    merged: Spec = json.loads(text)
    kept = merged["components"]["schemas"]
    for name, short in renamed.items():
        kept[short] = kept.pop(name)
    return merged


def _answered(spec: Spec) -> set[str]:
    """Names of all schemas that an answer holds, at whatever depth."""
    waiting = [
        name
        for path in spec["paths"].values()
        for operation in path.values()
        if isinstance(operation, dict)
        for name in _references(operation.get("responses", {}))
    ]
    found: set[str] = set()
    while waiting:
        name = waiting.pop()
        if name not in found:
            found.add(name)
            waiting += _references(spec["components"]["schemas"][name])
    return found


def _references(part: Any) -> Iterator[str]:
    if isinstance(part, dict):
        target = part.get("$ref")
        if isinstance(target, str) and target.startswith(_PREFIX):
            yield target.removeprefix(_PREFIX)
        for one in part.values():
            yield from _references(one)
    elif isinstance(part, list):
        for one in part:
            yield from _references(one)
