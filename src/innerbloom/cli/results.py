"""``--json``: what a command has found out, as one object a line instead of a sentence."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from typing import Any, TypeVar

import click

from innerbloom.cli.progress import say

F = TypeVar("F", bound=Callable[..., Any])
_KEY = "innerbloom.json"


def _keep(context: click.Context, _: click.Parameter, value: bool) -> None:
    context.meta[_KEY] = value


def json_option(function: F) -> F:
    """``--json`` for a command that says its results with :func:`result`."""
    return click.option(
        "--json", is_flag=True, expose_value=False, callback=_keep,
        help="One JSON object a line, as it goes.",
    )(function)  # fmt: skip


def wants_json() -> bool:
    """Whether the running command was asked for it."""
    return bool(click.get_current_context().meta.get(_KEY, False))


def result(facts: Mapping[str, Any], sentence: str | None = None) -> None:
    """Facts with ``--json``; else the sentence, if there is one."""
    if wants_json():
        click.echo(json.dumps(facts, ensure_ascii=False, allow_nan=False))
    elif sentence is not None:
        say(sentence)
