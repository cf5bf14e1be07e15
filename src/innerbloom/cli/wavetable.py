"""``bloom wavetable``: tables taken, built and looked into in the shell."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from innerbloom.cli.many import Made, ManyFiles, many_files
from innerbloom.cli.notes import NOTE
from innerbloom.cli.output import has_suffix
from innerbloom.cli.progress import Told
from innerbloom.cli.results import json_option, result
from innerbloom.cli.trust import trust_option, trusted
from innerbloom.core.errors import BloomError

if TYPE_CHECKING:
    from innerbloom.core.materials.wavetable.make import Raw


@click.group()
def wavetable() -> None:
    """Take, build and look into wavetables."""


@wavetable.command()
@many_files("FILE", "A .wav file.", suffix=".wav")
@click.option("--frames", default=64, show_default=True, type=click.IntRange(2, 256))
@click.option("--by", default="itself", show_default=True,
              type=click.Choice(["itself", "cycles", "spectra", "stretches"]))  # fmt: skip
@click.option("--spread", default="time", show_default=True, type=click.Choice(["time", "timbre"]))
@click.option("--from", "start", default=0.0, type=click.FloatRange(0), help="Seconds.")
@click.option("--to", "end", default=0.0, type=click.FloatRange(0),
              help="Seconds; 0 is where the sound has died away.")  # fmt: skip
@click.option("--root", type=NOTE, help="A note such as A2 or 45.3; else found.")
@click.option("--level", default="equal", type=click.Choice(["equal", "kept"]))
def extract(files: ManyFiles, start: float, end: float, **settings: Any) -> None:
    """Take a wavetable from each FILE, or from a folder of cycles, one a file."""
    settings |= {"start": start, "end": end or None}
    files.each(
        partial(_extracted, settings=settings), doing="Taking frames", accepts=has_suffix(".wav")
    )


def _extracted(source: Path, out: Path, *, settings: dict[str, Any], told: Told) -> Made:
    if source.is_dir():
        files = sorted(one for one in source.iterdir() if one.suffix.lower() in (".wav", ".flac"))
        sounds = [{"path": one.name} for one in files]
        taken: dict[str, Any] = {"kind": "cycles", "sounds": sounds}
        folder = source
    else:
        taken = {"kind": "recording", "sound": {"path": source.name}, **settings}
        folder = source.parent
    raw = _made({"name": out.stem, "source": taken}, folder, out)
    words = f"{len(raw.table)} frames by {raw.by}"
    facts: dict[str, Any] = {"frames": len(raw.table), "by": raw.by}
    if raw.retraced:
        words += (
            f"; swept, it retraces the sound within {raw.retraced.timbre_db:.1f} dB of timbre "
            f"and {raw.retraced.level_db:.1f} dB of level"
        )
        facts |= {
            "timbre_db": round(raw.retraced.timbre_db, 2),
            "level_db": round(raw.retraced.level_db, 2),
        }
    return Made(words, facts)


@wavetable.command()
@trust_option
@many_files("RECIPE", "A .wav file.", suffix=".wav")
def build(files: ManyFiles) -> None:
    """Make the wavetable of each RECIPE, a JSON file; sounds lie beside it."""
    files.each(partial(_built, trust=trusted()), doing="Building", accepts=has_suffix(".wav"))


def _built(recipe: Path, out: Path, *, trust: bool, told: Told) -> Made:
    if not recipe.is_file():
        raise BloomError(f"There is no recipe '{recipe}'.")
    raw = _made(recipe.read_bytes(), recipe.parent, out, trust=trust)
    return Made(f"{len(raw.table)} frames", {"frames": len(raw.table)})


@wavetable.command()
@click.argument("file", type=click.Path(path_type=Path))
@json_option
def inspect(file: Path) -> None:
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
    result(
        about,
        f"{found.frames} frames of {found.cycle} samples: {found.how}.\n"
        f"Level {levels.min():.1f} to {levels.max():.1f} dB, harmonics up to {highest}.",
    )


def _made(data: Any, folder: Path, out: Path, *, trust: bool = False) -> Raw:
    from innerbloom.core.deliver.sources import beside, read_sound
    from innerbloom.core.materials.wavetable.document import parse_table
    from innerbloom.core.materials.wavetable.files import write_table
    from innerbloom.core.materials.wavetable.make import make_raw
    from innerbloom.core.materials.wavetable.shape import shaped

    document = parse_table(data)
    locate = beside(folder, trusted=trust)
    raw = make_raw(document, lambda sound: read_sound(sound, locate))
    write_table(out, shaped(raw.table, document.steps), document.name)
    return raw
