"""``bloom render``: an instrument to a sound file."""

from __future__ import annotations

import sys
from pathlib import Path

import click
from rich.console import Console
from rich.progress import Progress

from innerbloom.cli.output import output_file
from innerbloom.core.errors import BloomError
from innerbloom.core.pitch_names import parse_note


def _note(_: click.Context, __: click.Parameter, value: str) -> float:
    try:
        return parse_note(value)
    except ValueError as error:
        raise click.BadParameter(str(error)) from error


@click.command()
@click.argument("instrument", type=click.Path(path_type=Path))
@click.option("--note", default="C3", show_default=True, callback=_note, help="C3 is MIDI 48.")
@click.option("--seconds", default=4.0, show_default=True, type=click.FloatRange(0.01, 3600),
              help="How long the key is held; the release follows.")  # fmt: skip
@click.option("--velocity", default=100, show_default=True, type=click.IntRange(1, 127))
@click.option("--midi", type=click.Path(path_type=Path, dir_okay=False), help="Play a MIDI file.")
@output_file("A .wav or .flac file, 48 kHz.")
@click.option("--float", "as_float", is_flag=True, help="WAV with 32-bit float samples.")
@click.option("--seed", type=click.IntRange(0, 999_999), help="Another roll of the dice.")
def render(
    instrument: Path, note: float, seconds: float, velocity: int, midi: Path | None, out: Path,
    as_float: bool, seed: int | None,
) -> None:  # fmt: skip
    """Render INSTRUMENT, a document or a bundle of one or of an ensemble, to a file."""
    from innerbloom.core.deliver.opening import open_playable
    from innerbloom.core.deliver.playable import bend_range_of, compile_playable, with_seed
    from innerbloom.core.deliver.render import expected_frames, render_blocks
    from innerbloom.core.deliver.sources import file_materials
    from innerbloom.core.engine import ENGINE_RATE
    from innerbloom.core.performance.events import single_note
    from innerbloom.core.performance.midi import events_from_midi
    from innerbloom.core.sound.metadata import Origin
    from innerbloom.core.sound.writing import format_for, write_sound

    try:
        form = "wav32f" if as_float and out.suffix.lower() == ".wav" else format_for(out)
    except ValueError as error:
        raise click.UsageError(str(error)) from error
    with open_playable(instrument) as (document, locate):
        if seed is not None:
            document = with_seed(document, seed)
        program = compile_playable(document, file_materials(locate))
        if midi is not None:
            if not midi.is_file():
                raise BloomError(f"There is no MIDI file '{midi}'.")
            events = events_from_midi(midi.read_bytes(), ENGINE_RATE, bend_range_of(document))
        else:
            events = single_note(note, seconds, ENGINE_RATE, velocity / 127.0)
        total = expected_frames(program, events)
        origin = Origin(title=document.name, notes=f"Rendered from {document.name}")
        with Progress(console=Console(file=sys.stderr), transient=True) as bar:
            task = bar.add_task("Rendering", total=total)

            def told():  # type: ignore[no-untyped-def]
                for block in render_blocks(program, events):
                    bar.advance(task, len(block))
                    yield block

            frames = write_sound(out, told(), ENGINE_RATE, 2, form=form, origin=origin)  # type: ignore[arg-type]
    click.echo(f"Wrote {out}, {frames / ENGINE_RATE:.2f} s.")
