"""``bloom export``: sounds in another format, at another rate, under other names."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any, get_args

import click

from innerbloom.cli.progress import progress, quiet_option, say
from innerbloom.cli.results import json_option, result, wants_json
from innerbloom.cli.trust import trust_option, trusted
from innerbloom.core.errors import BloomError
from innerbloom.core.sound.writing import Format


def _list(context: click.Context, option: click.Parameter, asked: bool) -> None:
    if not asked:
        return
    from innerbloom.core.deliver.exporters import EXPORTERS

    for one in EXPORTERS.values():
        click.echo(f"{one.id:18} {one.of:12} {one.suffix.strip():12} {one.name}")
    context.exit()


@click.command()
@quiet_option
@trust_option
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--out", required=True, type=click.Path(path_type=Path, file_okay=False),
              help="Folder for the files, made if it is not there.")  # fmt: skip
@click.option("--format", "form", type=click.Choice(get_args(Format)), default="wav24",
              show_default=True, help="What sounds are written as.")  # fmt: skip
@click.option(
    "--rate", type=click.IntRange(8_000, 192_000), help="Hz; each keeps its own if left out."
)
@click.option("--names", default="{name}", show_default=True,
              help="Template; {name}, {number}, {root}, {date}, {place}, {scene}, {take}.")  # fmt: skip
@click.option("--as", "way", help="How takes, wavetables, spectra and documents leave; see --list.")
@click.option("--list", is_flag=True, is_eager=True, expose_value=False, callback=_list,
              help="Every way out: its name for --as, of what, and the suffix.")  # fmt: skip
@click.option("--force", is_flag=True, help="Write over files that are there.")
@json_option
def export(
    files: tuple[Path, ...], out: Path, form: Format, rate: int | None, names: str,
    way: str | None, force: bool,
) -> None:  # fmt: skip
    """Write FILES anew: sounds with their loop, root, markers and origin, or what else there is by --as.

    The originals stay.
    """
    out.mkdir(parents=True, exist_ok=True)
    taken: list[str] = []
    with progress("Writing") as told:
        for number, file in enumerate(files, 1):
            facts: dict[str, Any] = {"input": str(file)}
            try:
                if way is not None:
                    target = _as(way, file, out, names, number, taken, force)
                else:
                    target = _sound(file, out, form, rate, names, number, taken, force)
                facts["output"] = str(target)
            except BloomError as error:
                facts["error"] = str(error)
                if not wants_json():
                    click.echo(str(error), err=True)
            result(facts)
            told(number / len(files))
    if not wants_json():
        say(f"Wrote {len(taken)} of {len(files)} to {out}.")
    if len(taken) < len(files):
        sys.exit(1)


def _free(target: Path, file: Path, force: bool) -> Path:
    if target.exists() and (not force or target.samefile(file)):
        raise BloomError(f"'{target}' is there already: choose other names or --force.")
    return target


def _as(
    way: str, file: Path, out: Path, names: str, number: int, taken: list[str], force: bool
) -> Path:
    from innerbloom.core.deliver.export import About, file_stem
    from innerbloom.core.deliver.exporters import exporter_for
    from innerbloom.core.deliver.exporters.opening import open_subject
    from innerbloom.core.names import numbered

    with open_subject(file, trusted=trusted()) as subject:
        exporter = exporter_for(subject.kind, way)
        stem = numbered(file_stem(names, About(file.stem), number), taken, alike=str.casefold)
        target = _free(out / f"{stem}{exporter.suffix}", file, force)
        exporter.write(subject, target)
        taken.append(stem)
    return target


def _sound(
    file: Path, out: Path, form: Format, rate: int | None, names: str, number: int,
    taken: list[str], force: bool,
) -> Path:  # fmt: skip
    from innerbloom.core.deliver.export import about_of, export_sound, file_stem
    from innerbloom.core.names import numbered
    from innerbloom.core.sound.writing import SUFFIX

    about = about_of(file)
    stem = numbered(file_stem(names, about, number), taken, alike=str.casefold)
    target = _free(out / f"{stem}{SUFFIX[form]}", file, force)
    export_sound(file, target, about, form=form, rate=rate)
    taken.append(stem)
    return target
