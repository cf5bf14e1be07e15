"""``bloom wavetable``: tables taken, built and looked into in the shell."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from innerbloom.cli.notes import NOTE
from innerbloom.cli.output import output_file
from innerbloom.cli.trust import trust_option, trusted
from innerbloom.core.errors import BloomError

if TYPE_CHECKING:
    from innerbloom.core.materials.wavetable.make import Raw

_OUT = output_file("A .wav file.")


@click.group()
def wavetable() -> None:
    """Take, build and look into wavetables."""


@wavetable.command()
@click.argument("file", type=click.Path(path_type=Path))
@_OUT
@click.option("--frames", default=64, show_default=True, type=click.IntRange(2, 256))
@click.option("--by", default="itself", show_default=True,
              type=click.Choice(["itself", "cycles", "spectra", "stretches"]))  # fmt: skip
@click.option("--spread", default="time", show_default=True, type=click.Choice(["time", "timbre"]))
@click.option("--from", "start", default=0.0, type=click.FloatRange(0), help="Seconds.")
@click.option("--to", "end", default=0.0, type=click.FloatRange(0),
              help="Seconds; 0 is where the sound has died away.")  # fmt: skip
@click.option("--root", type=NOTE, help="A note such as A2 or 45.3; else found.")
@click.option("--level", default="equal", type=click.Choice(["equal", "kept"]))
def extract(
    file: Path, out: Path, frames: int, by: str, spread: str, start: float, end: float,
    root: float | None, level: str,
) -> None:  # fmt: skip
    """Take a wavetable from FILE, or from a folder of cycles, one a file."""
    from innerbloom.core.materials.wavetable.document import parse_table

    if file.is_dir():
        files = sorted(one for one in file.iterdir() if one.suffix.lower() in (".wav", ".flac"))
        source: dict[str, Any] = {"kind": "cycles", "sounds": [{"path": one.name} for one in files]}
        folder = file
    else:
        folder = file.parent
        source = {
            "kind": "recording", "sound": {"path": file.name}, "frames": frames, "by": by,
            "spread": spread, "start": start, "end": end or None, "level": level,
            "root": root,
        }  # fmt: skip
    document = parse_table({"name": out.stem, "source": source})
    raw = _made(document.model_dump(mode="json"), folder, out)
    click.echo(f"Wrote {out}, {len(raw.table)} frames by {raw.by}.")
    if raw.retraced:
        click.echo(
            f"Swept, it retraces the sound within {raw.retraced.timbre_db:.1f} dB of timbre "
            f"and {raw.retraced.level_db:.1f} dB of level."
        )


@wavetable.command()
@trust_option
@click.argument("recipe", type=click.Path(path_type=Path))
@_OUT
def build(recipe: Path, out: Path) -> None:
    """Make the wavetable of a RECIPE, a JSON file; sounds lie beside it."""
    if not recipe.is_file():
        raise BloomError(f"There is no recipe '{recipe}'.")
    raw = _made(recipe.read_text("utf-8"), recipe.parent, out)
    click.echo(f"Wrote {out}, {len(raw.table)} frames.")


@wavetable.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True)
def inspect(file: Path, as_json: bool) -> None:
    """Say how FILE is divided into frames, and what they hold."""
    import numpy as np

    from innerbloom.core.materials.wavetable.guess import layout_of
    from innerbloom.core.materials.wavetable.shape import from_cycles
    from innerbloom.core.materials.wavetable.table import rms_of
    from innerbloom.core.sound.files import read_stretch

    found = layout_of(file)
    table = from_cycles([(read_stretch(file, 0.0, None, 60.0)[0], found.cycle)])
    levels = 20.0 * np.log10(np.maximum(rms_of(table.spectra), 1e-9))
    size = np.abs(table.spectra).max(axis=0)
    highest = int(np.flatnonzero(size > 1e-3 * size.max())[-1]) + 1
    about = {
        "cycle": found.cycle, "frames": found.frames, "how": found.how, "sure": found.sure,
        "level_db": [round(float(levels.min()), 1), round(float(levels.max()), 1)],
        "highest_harmonic": highest,
    }  # fmt: skip
    if as_json:
        click.echo(json.dumps(about, indent=2))
        return
    click.echo(f"{found.frames} frames of {found.cycle} samples: {found.how}.")
    click.echo(f"Level {levels.min():.1f} to {levels.max():.1f} dB, harmonics up to {highest}.")


def _made(data: Any, folder: Path, out: Path) -> Raw:
    from innerbloom.core.deliver.sources import beside, read_sound
    from innerbloom.core.materials.wavetable.document import parse_table
    from innerbloom.core.materials.wavetable.files import write_table
    from innerbloom.core.materials.wavetable.make import make_raw
    from innerbloom.core.materials.wavetable.shape import shaped

    if out.suffix.lower() != ".wav":
        raise click.UsageError(f"'{out.name}' has to end in .wav.")
    document = parse_table(data)
    locate = beside(folder, trusted=trusted())
    raw = make_raw(document, lambda sound: read_sound(sound, locate))
    write_table(out, shaped(raw.table, document.steps), document.name)
    return raw
