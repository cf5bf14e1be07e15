"""``bloom new``: an instrument from a recording, as a document or a bundle."""

from __future__ import annotations

import os
from pathlib import Path

import click

from innerbloom.cli.output import output_file
from innerbloom.core.errors import DocumentError


@click.command()
@click.argument("recording", type=click.Path(path_type=Path))
@output_file("instrument.json, or bundle.zip to take the recording along.")
def new(recording: Path, out: Path) -> None:
    """Make an instrument with one cloud on RECORDING."""
    from innerbloom.core.deliver.bundle import write_bundle
    from innerbloom.core.deliver.first_note import grow_file

    suffix = out.suffix.lower()
    if suffix not in (".json", ".zip"):
        raise click.UsageError("--out has to end in .json or .zip.")
    document = grow_file(recording)
    if suffix == ".zip":
        write_bundle(document, lambda sound: recording, out)
    else:
        folder = out.parent.resolve()
        target = recording.resolve()
        if not target.is_relative_to(folder):
            raise DocumentError(
                f"'{recording.name}' does not lie beside or below {out}: "
                "write the document next to it, or write a bundle.zip."
            )
        document.layers[0].sound.path = os.path.relpath(target, folder).replace(os.sep, "/")
        out.write_text(document.model_dump_json(indent=2) + "\n", "utf-8")
    click.echo(f"Wrote {out}.")
