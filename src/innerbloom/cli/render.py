"""``bloom render``: an instrument to a sound file."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import click
from click.core import ParameterSource
from rich.console import Console
from rich.progress import Progress

from innerbloom.cli.notes import NOTES
from innerbloom.cli.output import output_file
from innerbloom.cli.trust import trust_option, trusted
from innerbloom.core.errors import BloomError

_PLAYED = ("notes", "seconds", "velocity")
"""Options of what is played, for which a MIDI file stands as well."""


@click.command()
@trust_option
@click.argument("instrument", type=click.Path(path_type=Path))
@click.option("--note", "notes", default="C3", show_default=True, type=NOTES,
              help="C3 is MIDI 48; several are a chord: C3,E3,G3.")  # fmt: skip
@click.option("--seconds", default=4.0, show_default=True, type=click.FloatRange(0.01, 3600),
              help="How long the key is held; the release follows.")  # fmt: skip
@click.option("--velocity", default=100, show_default=True, type=click.IntRange(1, 127))
@click.option(
    "--midi",
    type=click.Path(path_type=Path, dir_okay=False),
    help="Play a MIDI file instead of a note.",
)
@output_file("A .wav or .flac file, 48 kHz.")
@click.option("--rate", default="48000", show_default=True, type=click.Choice(["44100", "48000", "96000"]),
              help="Hz; resampled from 48000.")  # fmt: skip
@click.option("--float", "as_float", is_flag=True, help="WAV with 32-bit float samples.")
@click.option("--seed", type=click.IntRange(0, 999_999), help="Another roll of the dice.")
def render(
    instrument: Path, out: Path, midi: Path | None, rate: str,
    as_float: bool, seed: int | None, **played: Any,
) -> None:  # fmt: skip
    """Render INSTRUMENT, a document or a bundle of one or of an ensemble, to a file."""
    from innerbloom.core.deliver.opening import open_playable
    from innerbloom.core.deliver.playable import bend_range_of, compile_playable, with_seed
    from innerbloom.core.deliver.render import expected_frames, render_blocks
    from innerbloom.core.deliver.sources import file_materials
    from innerbloom.core.engine import ENGINE_RATE
    from innerbloom.core.performance.events import chord
    from innerbloom.core.performance.midi import events_from_midi
    from innerbloom.core.sound.metadata import Origin
    from innerbloom.core.sound.resampled import resampled_blocks
    from innerbloom.core.sound.writing import format_for, write_sound

    context = click.get_current_context()
    for name in _PLAYED:
        if midi is not None and context.get_parameter_source(name) is not ParameterSource.DEFAULT:
            option = "--note" if name == "notes" else f"--{name}"
            raise click.UsageError(f"--midi says what is played: leave {option} out.")
    try:
        form = "wav32f" if as_float and out.suffix.lower() == ".wav" else format_for(out)
    except ValueError as error:
        raise click.UsageError(str(error)) from error
    with open_playable(instrument, trusted=trusted()) as (document, locate):
        if seed is not None:
            document = with_seed(document, seed)
        program = compile_playable(document, file_materials(locate))
        if midi is not None:
            if not midi.is_file():
                raise BloomError(f"There is no MIDI file '{midi}'.")
            events = events_from_midi(midi.read_bytes(), ENGINE_RATE, bend_range_of(document))
        else:
            events = chord(
                played["notes"], played["seconds"], ENGINE_RATE, played["velocity"] / 127.0
            )
        total = expected_frames(program, events)
        origin = Origin(title=document.name, notes=f"Rendered from {document.name}")
        with Progress(console=Console(file=sys.stderr), transient=True) as bar:
            task = bar.add_task("Rendering", total=total)

            def told():  # type: ignore[no-untyped-def]
                for block in render_blocks(program, events):
                    bar.advance(task, len(block))
                    yield block

            blocks = resampled_blocks(told(), ENGINE_RATE, int(rate), 2)
            frames = write_sound(out, blocks, int(rate), 2, form=form, origin=origin)  # type: ignore[arg-type]
    click.echo(f"Wrote {out}, {frames / int(rate):.2f} s.")
