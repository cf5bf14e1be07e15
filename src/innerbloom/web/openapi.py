"""Making the description of the API tidier than it comes: one schema a model, answers whole, files and refusals told."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from typing import Any

from flask import current_app

from innerbloom.live.answers import ANSWER
from innerbloom.live.messages import MESSAGE

Spec = dict[str, Any]
_PREFIX = "#/components/schemas/"
_BINARY = {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}}
_REFUSAL = {"application/json": {"schema": {"$ref": f"{_PREFIX}Refusal"}}}
_REFUSED = {
    "400": "It cannot be done, as the sentence says",
    "404": "There is no such thing, or no more",
    "409": "It has changed meanwhile, or is not as far yet: get it anew",
    "422": "The request is not as it has to be, as the sentence says",
    "507": "There is no room on the disk; nothing was changed",
}


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
    for name, schema in schemas.items():
        # generators call their classes by it, so that it has to be one model's alone
        schema["title"] = name.replace(".", "")
    for name in _answered(spec):
        schema = schemas[name]
        if "properties" in schema and not schema.pop("x-partial", False):
            schema["required"] = list(schema["properties"])
    return spec


def files_and_refusals(spec: Any) -> Any:
    """A description that tells bodies and answers that are files, and every way to be refused."""
    schemas: dict[str, Any] = spec["components"]["schemas"]
    schemas["Refusal"] = {
        "type": "object", "title": "Refusal", "required": ["message"],
        "properties": {
            "message": {"type": "string", "title": "Message", "description": "One sentence, for people."},
            "at": {"type": "integer", "title": "At",
                   "description": "Where in a sentence that was typed it is not understood."},
        },
    }  # fmt: skip
    schemas["InstrumentIn"]["properties"]["document"] = {"$ref": f"{_PREFIX}Instrument"}
    for rule in current_app.url_map.iter_rules():
        path = re.sub(r"<(?:[^<>]*:)?(\w+)>", r"{\1}", rule.rule)
        view = current_app.view_functions[rule.endpoint]
        for method, operation in spec["paths"].get(path, {}).items():
            if method.upper() in (rule.methods or ()):
                _tell_files(operation, method, getattr(view, "takes_body", False))
                _tell_refusals(operation, method, spec)
    for one in ("HTTPError", "ValidationError"):
        schemas.pop(one, None)
    return spec


def _tell_files(operation: Spec, method: str, takes_body: bool) -> None:
    if takes_body:
        operation["requestBody"] = {"required": True, "content": _BINARY}
    answered = operation["responses"].get("200")
    # what has no model is a file
    if method == "get" and answered is not None and not _schema_in(answered):
        answered["content"] = _BINARY


def _schema_in(answer: Spec) -> Any:
    return answer.get("content", {}).get("application/json", {}).get("schema")


def _tell_refusals(operation: Spec, method: str, spec: Spec) -> None:
    answers = operation["responses"]
    told = {status for status in ("404", "409", "422") if status in answers}
    if method != "get":
        told |= {"400", "507"}
    if operation.get("parameters"):
        told |= {"400"}
    if _has_revision(operation, spec):
        told |= {"409"}
    for status in sorted(told):
        answers[status] = {"description": _REFUSED[status], "content": _REFUSAL}


def _has_revision(operation: Spec, spec: Spec) -> bool:
    """Whether a request says which revision it changes."""
    if any(one["name"] == "revision" for one in operation.get("parameters", [])):
        return True
    content = operation.get("requestBody", {}).get("content", {}).get("application/json", {})
    return any(
        "revision" in spec["components"]["schemas"][name].get("properties", {})
        for name in _references(content)
    )


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
