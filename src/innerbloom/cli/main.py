"""The ``bloom`` command."""

from __future__ import annotations

import sys

import click

from innerbloom import __version__
from innerbloom.cli.lazy import Lazy, LazyGroup
from innerbloom.core.errors import BloomError

_INTERRUPTED = 130
"""As shells have it: 128 and the number of the signal."""


class _Commands(LazyGroup):
    """Shows the errors meant for users as one sentence, never as a traceback."""

    def invoke(self, ctx: click.Context) -> object:
        try:
            return super().invoke(ctx)
        except BloomError as error:
            click.echo(str(error), err=True)
            sys.exit(1)
        except KeyboardInterrupt:
            click.echo("Stopped.", err=True)
            sys.exit(_INTERRUPTED)
        except BrokenPipeError:
            # whoever reads has seen enough; click ends without a word
            raise
        except OSError as error:
            click.echo(f"{error.filename or 'A file'}: {error.strerror or error}.", err=True)
            sys.exit(1)


def _here(place: str, help: str) -> Lazy:
    return Lazy(f"innerbloom.cli.{place}", help)


_BATCHES = {
    "sample": _here("sample:sample", "Sample an instrument over keys and velocities."),
    "swap": _here("swap:swap", "Try an instrument on other recordings."),
    "vary": _here("vary:vary", "Draw variations of an instrument, and keep the most unlike."),
}

_COMMANDS = _BATCHES | {
    "archive": _here("archive:archive", "Write a project to one file, with checksums."),
    "bench": _here("bench:bench", "Measure how fast the engine is here."),
    "check": _here("archive:check", "Compare a project or an archive with its checksums."),
    "demo": _here("serve:demo", "Make and serve the demo project."),
    "export": _here("export:export", "Write sounds, instruments, takes in other formats."),
    "inspect": _here("inspect:inspect", "Measure recordings."),
    "loops": _here("prepare:loops", "Rank loops of a recording by how well they close."),
    "morph": _here("spectrum:morph", "Turn each of several sounds into the next."),
    "new": _here("document:new", "Make an instrument from a recording."),
    "open": _here("archive:open_", "Unpack an archive into a project folder."),
    "prepare": _here("prepare:prepare", "Send a recording through a recipe."),
    "process": _here("process:process", "Send a sound through a chain of effects."),
    "render": _here("render:render", "Render an instrument or an ensemble to a file."),
    "serve": _here("serve:serve", "Serve a project, by default your own."),
    "slice": _here("prepare:slice_", "Split a recording where sounds begin."),
    "spectrum": _here("spectrum:spectrum", "Take sounds apart into spectra, and play them."),
    "take": _here("take:take", "Edit, render and look into takes."),
    "validate": _here("validate:validate", "Check documents, and whether what they play is there."),
    "wavetable": _here("wavetable:wavetable", "Take, build and look into wavetables."),
    "worker": _here("worker:worker", "Do tasks for a scheduler."),
}


@click.group(cls=_Commands, lazy=_COMMANDS)
@click.version_option(__version__, prog_name="bloom")
def main() -> None:
    """Turn field recordings into playable textures."""


main.add_command(
    LazyGroup(
        "batch", lazy=_BATCHES, short_help="sample, swap and vary on all cores, or on many machines.",
        help="What is done as a batch: on all cores, or by --scheduler on many machines.",
    )
)  # fmt: skip
