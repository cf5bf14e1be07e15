"""Options of commands that are done as batches."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

import click

from innerbloom.core.declare.parameters import Choice, Declared

F = TypeVar("F", bound=Callable[..., Any])


def batch_options(function: F) -> F:
    """``--jobs`` and ``--scheduler``."""
    jobs = click.option(
        "--jobs", type=click.IntRange(1, 256), help="Processes; one a core if left out."
    )
    scheduler = click.option(
        "--scheduler", default="", metavar="ADDRESS",
        help="A Dask scheduler (tcp://host:8786) whose workers do it; see 'bloom worker'.",
    )  # fmt: skip
    return jobs(scheduler(function))


def declared_options(declared: tuple[Declared, ...]) -> Callable[[F], F]:
    """An option for each setting, as it is declared."""

    def decorate(command: F) -> F:
        for one in reversed(declared):
            kind: Any
            if isinstance(one, Choice):
                kind = click.Choice(one.options)
            elif one.whole_number:
                kind = click.IntRange(int(one.low), int(one.high))
            else:
                kind = click.FloatRange(one.low, one.high)
            default = (
                one.default if isinstance(one, Choice) else kind.convert(one.default, None, None)
            )
            command = click.option(
                f"--{one.id.replace('_', '-')}", one.id, type=kind, default=default,
                show_default=True, help=one.help,
            )(command)  # fmt: skip
        return command

    return decorate
