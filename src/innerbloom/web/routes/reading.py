"""The description of the API as a page to read, made of what is served at ``/api/openapi.json``."""

from __future__ import annotations

from typing import Any

from apiflask import APIBlueprint
from flask import Response, current_app, render_template, url_for

bp = APIBlueprint("reading", __name__, url_prefix="/api", enable_openapi=False)

_METHODS = ("get", "post", "put", "patch", "delete")
_PREFIX = "#/components/schemas/"


@bp.get("/")
def page() -> str:
    """All operations by resource, with what they take and give."""
    spec: dict[str, Any] = current_app.spec  # type: ignore[attr-defined]
    by_tag: dict[str, list[dict[str, Any]]] = {}
    for path, operations in spec["paths"].items():
        for method in _METHODS:
            if method in operations:
                operation = operations[method]
                tag = (operation.get("tags") or ["Other"])[0]
                by_tag.setdefault(tag, []).append(_told(path, method, operation))
    schemas = {name: _fields(one) for name, one in sorted(spec["components"]["schemas"].items())}
    return render_template(
        "api.html", info=spec["info"], by_tag=dict(sorted(by_tag.items())), schemas=schemas,
        description=url_for("openapi.spec"), style=url_for("reading.style"),
    )  # fmt: skip


@bp.get("/page.css")
def style() -> Response:
    """How the page looks; the policy of the pages allows no styles within them."""
    return Response(render_template("api.css"), mimetype="text/css")


def _told(path: str, method: str, operation: dict[str, Any]) -> dict[str, Any]:
    body = operation.get("requestBody", {}).get("content", {})
    return {
        "path": path, "method": method.upper(), "summary": operation.get("summary", ""),
        "description": operation.get("description", ""),
        "parameters": [
            {"name": one["name"], "in": one["in"], "needed": one.get("required", False),
             "type": type_of(one.get("schema", {})), "description": one["schema"].get("description", "")}
            for one in operation.get("parameters", [])
        ],
        "body": _content(body),
        "answers": [
            {"status": status, "description": one.get("description", ""), "content": _content(one.get("content", {}))}
            for status, one in sorted(operation["responses"].items())
        ],
    }  # fmt: skip


def _content(content: dict[str, Any]) -> dict[str, str] | None:
    """The type of a body or an answer, and the schema that it leads to; None for an empty one."""
    for media, one in content.items():
        schema = one.get("schema", {})
        return {"media": media, "type": type_of(schema), "schema": _named(schema)}
    return None


def _named(schema: dict[str, Any]) -> str:
    target = schema.get("$ref") or schema.get("items", {}).get("$ref", "")
    return str(target).removeprefix(_PREFIX)


def _fields(schema: dict[str, Any]) -> dict[str, Any]:
    needed = schema.get("required", [])
    return {
        "description": schema.get("description", ""),
        "type": type_of(schema),
        "fields": [
            {"name": name, "type": type_of(one), "schema": _named(one), "needed": name in needed,
             "description": one.get("description", ""), "default": one.get("default")}
            for name, one in schema.get("properties", {}).items()
        ],
    }  # fmt: skip


def type_of(schema: dict[str, Any]) -> str:
    """A schema in a few words: ``integer 0..127``, ``list of Sound``, ``one of on, off``."""
    if "$ref" in schema:
        return _named(schema)
    if "enum" in schema:
        return f"one of {', '.join(map(str, schema['enum'][:12]))}"
    if "const" in schema:
        return str(schema["const"])
    options = schema.get("anyOf") or schema.get("oneOf")
    if options:
        return " or ".join(dict.fromkeys(type_of(one) for one in options))
    kind = str(schema.get("type", "anything"))
    if kind == "array":
        return f"list of {type_of(schema.get('items', {}))}"
    if schema.get("format") == "binary":
        return "file"
    low, high = schema.get("minimum"), schema.get("maximum")
    return kind if low is None and high is None else f"{kind} {low}..{high}"
