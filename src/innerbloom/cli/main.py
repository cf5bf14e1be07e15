"""The ``bloom`` command."""

from __future__ import annotations

import sys

import click

from innerbloom import __version__
from innerbloom.cli.archive import archive, check, open_
from innerbloom.cli.bench import bench
from innerbloom.cli.document import new
from innerbloom.cli.export import export
from innerbloom.cli.inspect import inspect
from innerbloom.cli.prepare import loops, prepare, slice_
from innerbloom.cli.process import process
from innerbloom.cli.render import render
from innerbloom.cli.sample import sample
from innerbloom.cli.serve import demo, serve
from innerbloom.cli.spectrum import morph, spectrum
from innerbloom.cli.swap import swap
from innerbloom.cli.take import take
from innerbloom.cli.vary import vary
from innerbloom.cli.wavetable import wavetable
from innerbloom.cli.worker import worker
from innerbloom.core.errors import BloomError


class _Command(click.Group):
    """Shows the errors meant for users as one sentence, never as a traceback."""

    def invoke(self, ctx: click.Context) -> object:
        try:
            return super().invoke(ctx)
        except BloomError as error:
            click.echo(str(error), err=True)
            sys.exit(1)
        except OSError as error:
            click.echo(f"{error.filename or 'A file'}: {error.strerror or error}.", err=True)
            sys.exit(1)


@click.group(cls=_Command)
@click.version_option(__version__, prog_name="bloom")
def main() -> None:
    """Turn field recordings into playable textures."""


batch = click.Group(
    "batch", commands={one.name or "": one for one in (sample, vary, swap)},
    help="What is done as a batch: on all cores, or by --scheduler on many machines.",
)  # fmt: skip

for command in (
    batch,
    serve, demo, inspect, render, process, new, prepare, loops, slice_, export, bench, wavetable, spectrum, morph, take, vary, sample, swap, worker, archive, open_, check,
):  # fmt: skip
    main.add_command(command)
