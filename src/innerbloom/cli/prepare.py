"""``bloom prepare``, ``bloom loops`` and ``bloom slice``: the Bench in the shell."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import click
from rich.console import Console
from rich.progress import Progress

from innerbloom.cli.output import output_file
from innerbloom.core.errors import BloomError

_SOUND = click.argument("file", type=click.Path(path_type=Path))
_TUNING = click.option("--tuning", default=440.0, show_default=True,
                       type=click.FloatRange(400, 480), help="Reference pitch A4 in Hz.")  # fmt: skip


@click.command()
@_SOUND
@click.option("--recipe", "recipe_path", required=True,
              type=click.Path(path_type=Path, dir_okay=False), help="A recipe as JSON.")  # fmt: skip
@output_file("A .wav or .flac file; WAV keeps loop and root.")
@click.option("--float", "as_float", is_flag=True, help="WAV with 32-bit float samples.")
@_TUNING
def prepare(file: Path, recipe_path: Path, out: Path, as_float: bool, tuning: float) -> None:
    """Send FILE through a recipe and write what it makes."""
    from innerbloom.core.analysis.track import pitch_track, root_of
    from innerbloom.core.prepare.recipe import parse_recipe
    from innerbloom.core.prepare.run import run_recipe
    from innerbloom.core.prepare.source import FileSource, write_clip
    from innerbloom.core.sound.metadata import Origin, read_origin
    from innerbloom.core.sound.writing import format_for

    try:
        form = "wav32f" if as_float and out.suffix.lower() == ".wav" else format_for(out)
    except ValueError as error:
        raise click.UsageError(str(error)) from error
    if not recipe_path.is_file():
        raise BloomError(f"There is no recipe '{recipe_path}'.")
    recipe = parse_recipe(recipe_path.read_text("utf-8"))
    with Progress(console=Console(file=sys.stderr), transient=True) as bar:
        task = bar.add_task("Preparing", total=1.0)

        def told(share: float) -> bool:
            bar.update(task, completed=share)
            return True

        clip = run_recipe(recipe, FileSource(file), tuning=tuning, progress=told)
    root = clip.root
    if clip.root_how == "found":
        root, _ = root_of(pitch_track(clip.samples, clip.rate))
    came = read_origin(file)
    origin = Origin(out.stem, came.notes, came.recordist, came.licence, came.date)
    write_clip(out, clip, form=form, origin=origin, root=root)  # type: ignore[arg-type]
    click.echo(f"Wrote {out}, {clip.seconds:.2f} s, {len(recipe.steps)} steps.")


@click.command()
@_SOUND
@click.option("--from", "start", default=0.0, type=click.FloatRange(0), help="Seconds.")
@click.option("--to", "end", default=0.0, type=click.FloatRange(0), help="Seconds; 0 is the end.")
@click.option("--least", default=0.25, show_default=True, type=click.FloatRange(0.05, 600),
              help="Shortest loop in seconds.")  # fmt: skip
@click.option("--json", "as_json", is_flag=True)
def loops(file: Path, start: float, end: float, least: float, as_json: bool) -> None:
    """Rank loops of FILE by how well they close."""
    found = found_loops(file, start, end, least)
    if as_json:
        click.echo(json.dumps(found, indent=2))
        return
    if not found:
        click.echo("Nothing here closes well.")
    for one in found:
        click.echo(
            f"{one['start_s']:9.4f} to {one['end_s']:9.4f} s, {one['end_s'] - one['start_s']:7.3f} s"
            f" long, closes {100 * one['closes']:3.0f} %, {one['curve']} {one['crossfade_ms']:.0f} ms"
        )


def found_loops(
    file: Path, start: float = 0.0, end: float = 0.0, least: float = 0.25
) -> list[dict[str, Any]]:
    """Loops of a file as plain data, best first; up to three minutes of it are searched."""
    from innerbloom.core.analysis.loops import find_loops
    from innerbloom.core.prepare.source import FileSource

    source = FileSource(file)
    first = round(start * source.rate)
    last = min(round(end * source.rate) if end else source.frames, source.frames)
    last = min(last, first + 180 * source.rate)
    if last <= first:
        raise BloomError("The region lies outside the sound: move it inside.")
    found, _ = find_loops(source.read(first, last - first), source.rate, least_s=least)
    return [
        {
            "start_s": round((first + one.start) / source.rate, 6),
            "end_s": round((first + one.end) / source.rate, 6),
            "closes": one.closes, "likeness": one.likeness,
            "crossfade_ms": round(1e3 * one.crossfade / source.rate, 1), "curve": one.curve,
        }
        for one in found
    ]  # fmt: skip


@click.command("slice")
@_SOUND
@click.option("--out", required=True, type=click.Path(path_type=Path, file_okay=False),
              help="Folder for the pieces, made if it is not there.")  # fmt: skip
@click.option("--sensitivity", type=click.FloatRange(0, 1), help="0 finds few beginnings, 1 many.")
@click.option("--recipe", "recipe_path", type=click.Path(path_type=Path, dir_okay=False),
              help="Send each piece through the steps of a recipe.")  # fmt: skip
@_TUNING
def slice_(
    file: Path, out: Path, sensitivity: float | None, recipe_path: Path | None, tuning: float
) -> None:
    """Split FILE where sounds begin, each piece a WAV file of its own."""
    from innerbloom.core.analysis.onsets import SENSITIVITY, OnsetCollector
    from innerbloom.core.prepare.pieces import beginnings, cut_pieces, parse_pieces
    from innerbloom.core.prepare.recipe import parse_recipe, piece_recipe
    from innerbloom.core.prepare.run import run_recipe
    from innerbloom.core.prepare.source import FileSource, write_clip
    from innerbloom.core.sound.files import read_blocks

    source = FileSource(file)
    recipe = parse_recipe(recipe_path.read_text("utf-8") if recipe_path else {"steps": []})
    collector = OnsetCollector(source.rate)
    for block in read_blocks(file):
        collector.feed(block)
    strength = collector.strength()
    share = SENSITIVITY if sensitivity is None else sensitivity
    wanted: Any = parse_pieces({"sensitivity": 100 * share})
    starts = beginnings(wanted, strength, source.read, source.rate)
    pieces = cut_pieces(wanted, starts, strength, source.frames / source.rate)
    if not pieces:
        raise BloomError("Nothing begins clearly enough here: raise --sensitivity.")
    out.mkdir(parents=True, exist_ok=True)
    problems = 0
    for number, piece in enumerate(pieces, 1):
        try:
            steps = piece_recipe(recipe, piece.start, piece.end)
            clip = run_recipe(steps, source, tuning=tuning)
            write_clip(out / f"{file.stem}-{number:03d}.wav", clip, form="wav24")
        except BloomError as error:
            problems += 1
            click.echo(f"{file.stem}-{number:03d}: {error}", err=True)
    click.echo(f"Wrote {len(pieces) - problems} pieces to {out}.")
    if problems:
        sys.exit(1)
