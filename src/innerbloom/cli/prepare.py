"""``bloom prepare``, ``bloom loops`` and ``bloom slice``: the Bench in the shell."""

from __future__ import annotations

import sys
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from innerbloom.cli.many import Made, ManyFiles, many_files
from innerbloom.cli.output import sound_format
from innerbloom.cli.progress import Told, progress, quiet_option, say
from innerbloom.cli.results import json_option, result, wants_json
from innerbloom.core.errors import BloomError

if TYPE_CHECKING:
    from innerbloom.core.prepare.recipe import Recipe

_SOUND = click.argument("file", type=click.Path(path_type=Path))
_TUNING = click.option("--tuning", default=440.0, show_default=True,
                       type=click.FloatRange(400, 480), help="Reference pitch A4 in Hz.")  # fmt: skip


@click.command()
@many_files(
    "RECORDING",
    "A .wav or .flac file; both keep loop and root, WAV how it was made, too.",
    suffix=".wav",
)
@click.option("--recipe", "recipe_path", required=True,
              type=click.Path(path_type=Path, dir_okay=False), help="A recipe as JSON.")  # fmt: skip
@click.option("--float", "as_float", is_flag=True, help="WAV with 32-bit float samples.")
@_TUNING
def prepare(files: ManyFiles, recipe_path: Path, as_float: bool, tuning: float) -> None:
    """Send each RECORDING through a recipe and write what it makes."""
    work = partial(_prepared, recipe=_recipe(recipe_path).plain(), as_float=as_float, tuning=tuning)
    files.each(work, doing="Preparing", accepts=sound_format)


def _prepared(
    source: Path, out: Path, *, recipe: dict[str, Any], as_float: bool, tuning: float, told: Told
) -> Made:
    from innerbloom.core.deliver.to_file import prepare_to_file
    from innerbloom.core.prepare.recipe import parse_recipe

    # plain data goes to another process, models made of declarations do not
    parsed = parse_recipe(recipe)
    form = sound_format(out, as_float)
    clip = prepare_to_file(source, parsed, out, form=form, tuning=tuning, told=told)
    steps = len(parsed.steps)
    return Made(
        f"{clip.seconds:.2f} s, {steps} {'step' if steps == 1 else 'steps'}",
        {"seconds": round(clip.seconds, 6), "root": clip.root, "loop": clip.loop is not None},
    )


def _recipe(path: Path | None) -> Recipe:
    from innerbloom.core.prepare.recipe import parse_recipe

    if path is not None and not path.is_file():
        raise BloomError(f"There is no recipe '{path}'.")
    return parse_recipe({"steps": []} if path is None else path.read_bytes())


@click.command()
@_SOUND
@click.option("--from", "start", default=0.0, type=click.FloatRange(0), help="Seconds.")
@click.option("--to", "end", default=0.0, type=click.FloatRange(0), help="Seconds; 0 is the end.")
@click.option("--least", default=0.25, show_default=True, type=click.FloatRange(0.05, 600),
              help="Shortest loop in seconds.")  # fmt: skip
@json_option
def loops(file: Path, start: float, end: float, least: float) -> None:
    """Rank loops of FILE by how well they close.

    A longer loop is worth a little more, one that is heard to repeat less, and one whose seam stands
    out of the sound's own movement a whole rank.
    """
    from innerbloom.core.prepare.loop_search import loops_of

    with progress("Looking for loops"):
        found = loops_of(file, start, end or None, least)
    if not found and not wants_json():
        click.echo("Nothing here closes well.")
    for one in found:
        result(
            one.plain(),
            f"{one.start_s:9.4f} to {one.end_s:9.4f} s, {one.end_s - one.start_s:7.3f} s long,"
            f" rank {one.rank:5.2f}: closes {100 * one.closes:3.0f} %, seam {one.seam:4.2f} of its"
            f" movement, alike {one.likeness:5.2f}; {one.curve} {one.crossfade_ms:.0f} ms",
        )


@click.command("slice")
@quiet_option
@_SOUND
@click.option("--out", required=True, type=click.Path(path_type=Path, file_okay=False),
              help="Folder for the pieces, made if it is not there.")  # fmt: skip
@click.option("--sensitivity", type=click.FloatRange(0, 1), help="0 finds few beginnings, 1 many.")
@click.option("--recipe", "recipe_path", type=click.Path(path_type=Path, dir_okay=False),
              help="Send each piece through the steps of a recipe.")  # fmt: skip
@click.option("--float", "as_float", is_flag=True, help="WAV with 32-bit float samples.")
@json_option
@_TUNING
def slice_(
    file: Path, out: Path, sensitivity: float | None, recipe_path: Path | None,
    as_float: bool, tuning: float,
) -> None:  # fmt: skip
    """Split FILE where sounds begin, each piece a WAV file of its own."""
    from innerbloom.core.analysis.onsets import SENSITIVITY, OnsetCollector
    from innerbloom.core.prepare.pieces import beginnings, cut_pieces, parse_pieces
    from innerbloom.core.prepare.recipe import piece_recipe
    from innerbloom.core.prepare.run import run_recipe
    from innerbloom.core.prepare.source import FileSource, write_clip
    from innerbloom.core.sound.files import read_blocks

    source = FileSource(file)
    recipe = _recipe(recipe_path)
    collector = OnsetCollector(source.rate)
    with progress("Listening"):
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
    with progress("Splitting") as told:
        for number, piece in enumerate(pieces, 1):
            target = out / f"{file.stem}-{number:03d}.wav"
            facts: dict[str, Any] = {
                "output": str(target),
                "start_s": piece.start,
                "end_s": piece.end,
            }
            try:
                steps = piece_recipe(recipe, piece.start, piece.end)
                clip = run_recipe(steps, source, tuning=tuning)
                write_clip(target, clip, form="wav32f" if as_float else "wav24")
            except BloomError as error:
                problems += 1
                facts["error"] = str(error)
                if not wants_json():
                    click.echo(f"{target.stem}: {error}", err=True)
            result(facts)
            told(number / len(pieces))
    if not wants_json():
        say(f"Wrote {len(pieces) - problems} pieces to {out}.")
    if problems:
        sys.exit(1)
