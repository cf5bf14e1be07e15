"""What commands say: progress on a terminal, results on standard output, neither with ``--quiet``."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, TypeVar

import click
from rich.console import Console
from rich.progress import Progress

F = TypeVar("F", bound=Callable[..., Any])
Told = Callable[[float], bool]
_KEY = "innerbloom.quiet"


def _keep(context: click.Context, _: click.Parameter, value: bool) -> None:
    context.meta[_KEY] = value


def quiet_option(function: F) -> F:
    """``--quiet`` for a command: :func:`say` and :func:`progress` then show nothing."""
    return click.option(
        "--quiet", is_flag=True, expose_value=False, callback=_keep, help="Print errors only."
    )(function)


def is_quiet() -> bool:
    """Whether the running command was told so."""
    return bool(click.get_current_context().meta.get(_KEY, False))


def say(result: str, *, err: bool = False) -> None:
    """A line on standard output, or standard error."""
    if not is_quiet():
        click.echo(result, err=err)


@contextmanager
def progress(doing: str) -> Iterator[Told]:
    """A bar on standard error, nothing in a pipe; gives what is told the share done, 0..1.

    Until a first share is told it only shows that something is being done.
    """
    console = Console(stderr=True)
    shown = console.is_terminal and not is_quiet()
    # results that go into a file must not be drawn above the bar instead
    beside = sys.stdout.isatty()
    with Progress(
        console=console, transient=True, disable=not shown, redirect_stdout=beside
    ) as bar:
        task = bar.add_task(doing, total=None)

        def told(share: float) -> bool:
            bar.update(task, total=1.0, completed=share)
            return True

        yield told
