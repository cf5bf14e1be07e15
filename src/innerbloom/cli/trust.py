"""``--trust``: documents are opened though a recording beside them is not the one that they were made with."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

import click

F = TypeVar("F", bound=Callable[..., Any])
_KEY = "innerbloom.trust"


def _keep(context: click.Context, _: click.Parameter, value: bool) -> None:
    context.meta[_KEY] = value


def trust_option(function: F) -> F:
    """``--trust`` for a command; what it opens asks :func:`trusted`."""
    option = click.option(
        "--trust", is_flag=True, expose_value=False, callback=_keep,
        help="Go on where a recording has changed since the document was made.",
    )  # fmt: skip
    return option(function)


def trusted() -> bool:
    """Whether the running command was told to go on."""
    return bool(click.get_current_context().meta.get(_KEY, False))
