"""Compiling the sound engine before the first command that needs it, with a word and progress."""

from __future__ import annotations

import click
from rich.console import Console

from innerbloom.cli.progress import is_quiet, progress


def ensure_kernels() -> None:
    """Compile what is not kept on disk yet: once for each installation, a minute or two on two cores."""
    from innerbloom.core.compiling import is_warm
    from innerbloom.core.engine.warm import warm_up

    if is_warm():
        return
    if not is_quiet() and not Console(stderr=True).is_terminal:
        click.echo("Compiling the sound engine, once: a minute or two.", err=True)
    with progress("Compiling the sound engine, once") as told:
        warm_up(lambda done, count: told(done / count))
