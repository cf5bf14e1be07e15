"""A group whose commands are loaded when they are run: ``bloom --help`` need not load the engine for it.

After "Lazily Loading Subcommands" in click's documentation; one line of help stands beside each, so that
the list of commands loads none of them.
"""

from __future__ import annotations

import importlib
from dataclasses import dataclass
from typing import Any

import click

from innerbloom.loading import loading


@dataclass(frozen=True)
class Lazy:
    """Where a command is, as ``module:name``, and its line in the list."""

    place: str
    help: str

    def load(self) -> click.Command:
        module, _, name = self.place.partition(":")
        with loading():
            found: click.Command = getattr(importlib.import_module(module), name)
        return found


class LazyGroup(click.Group):
    """A group of such commands.

    Parameters
    ----------
    lazy : dict of str to Lazy
        By the name that is typed.
    """

    def __init__(self, *args: Any, lazy: dict[str, Lazy], **more: Any) -> None:
        super().__init__(*args, **more)
        self.lazy = lazy

    def list_commands(self, ctx: click.Context) -> list[str]:
        return sorted({*self.lazy, *self.commands})

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        one = self.lazy.get(cmd_name)
        return super().get_command(ctx, cmd_name) if one is None else one.load()

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        rows = [
            (
                name,
                self.lazy[name].help if name in self.lazy else self.commands[name].short_help or "",
            )
            for name in self.list_commands(ctx)
        ]
        with formatter.section("Commands"):
            formatter.write_dl(rows)
