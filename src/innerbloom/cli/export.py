"""``bloom export``: sounds in another format, at another rate, under other names."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any, get_args

import click

from innerbloom.core.errors import BloomError
from innerbloom.core.sound.writing import Format


@click.command()
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--out", required=True, type=click.Path(path_type=Path, file_okay=False),
              help="Folder for the files, made if it is not there.")  # fmt: skip
@click.option("--format", "form", type=click.Choice(get_args(Format)), default="wav24",
              show_default=True, help="What is written.")  # fmt: skip
@click.option(
    "--rate", type=click.IntRange(8_000, 192_000), help="Hz; each keeps its own if left out."
)
@click.option("--names", default="{name}", show_default=True,
              help="Template; {name}, {number}, {root}, {date}, {place}, {scene}, {take}.")  # fmt: skip
@click.option("--force", is_flag=True, help="Write over files that are there.")
def export(
    files: tuple[Path, ...], out: Path, form: Format, rate: int | None, names: str, force: bool
) -> None:
    """Write FILES anew with their loop, root, markers and origin; the originals stay."""
    from innerbloom.core.deliver.export import export_sound, file_stem
    from innerbloom.core.names import numbered
    from innerbloom.core.sound.writing import SUFFIX

    out.mkdir(parents=True, exist_ok=True)
    taken: list[str] = []
    for number, file in enumerate(files, 1):
        try:
            about = _about(file)
            stem = numbered(file_stem(names, about, number), taken)
            target = out / f"{stem}{SUFFIX[form]}"
            if target.exists() and (not force or target.samefile(file)):
                raise BloomError(f"'{target}' is there already: choose other names or --force.")
            export_sound(file, target, about, form=form, rate=rate)
            taken.append(stem)
        except BloomError as error:
            click.echo(str(error), err=True)
    click.echo(f"Wrote {len(taken)} of {len(files)} to {out}.")
    if len(taken) < len(files):
        sys.exit(1)


def _about(file: Path) -> Any:
    """What a file says of itself."""
    from innerbloom.core.deliver.export import About
    from innerbloom.core.pitch_names import note_name
    from innerbloom.core.sound.files import sound_info
    from innerbloom.core.sound.metadata import read_origin
    from innerbloom.core.sound.sampler import read_sampler
    from innerbloom.core.sound.takes import read_take

    info = sound_info(file)
    sampler, take = read_sampler(file), read_take(file)
    root = None if sampler is None else sampler.root
    return About(
        file.stem, read_origin(file), root=root,
        root_name="" if root is None else note_name(root)[0],
        loop=sampler.loops[0] if sampler and sampler.loops else None,
        markers=tuple(at / info.rate for at in take.markers),
        place=take.place, scene=take.scene, take=take.take,
    )  # fmt: skip
