"""Compiling the sound engine before the first command that needs it, with a word and progress."""

from __future__ import annotations

import click
from rich.console import Console

from innerbloom.cli.progress import is_quiet, progress


def ensure_kernels() -> None:
    """Compile what is not kept on disk yet: once for each installation, a minute or two on two cores."""
    from innerbloom.core.engine.warm import is_warm, tasks, warm_up

    if is_warm():
        return
    if not is_quiet() and not Console(stderr=True).is_terminal:
        click.echo("Compiling the sound engine, once: a minute or two.", err=True)
    done, count = 0, len(tasks())
    with progress("Compiling the sound engine, once") as told:

        def one_more(text: str) -> None:
            nonlocal done
            done += 1
            told(done / count)

        warm_up(one_more)
