"""``bloom new``: an instrument from a recording, as a document or a bundle."""

from __future__ import annotations

import os
from pathlib import Path

import click

from innerbloom.cli.many import Made, ManyFiles, many_files
from innerbloom.cli.output import has_suffix
from innerbloom.cli.progress import Told
from innerbloom.core.errors import DocumentError


@click.command()
@many_files(
    "RECORDING", "instrument.json, or bundle.zip to take the recording along.", suffix=".zip"
)
def new(files: ManyFiles) -> None:
    """Make an instrument with one cloud on each RECORDING."""
    files.each(_grown, doing="Growing", accepts=has_suffix(".json", ".zip"))


def _grown(recording: Path, out: Path, *, told: Told) -> Made:
    from innerbloom.core.deliver.bundle import write_bundle
    from innerbloom.core.deliver.first_note import grow_file

    document = grow_file(recording, told)
    sound = document.layers[0].sound
    facts = {"name": document.name, "root": sound.root}
    if out.suffix.lower() == ".zip":
        write_bundle(document, lambda sound: recording, out)
        return Made("a bundle", facts)
    folder, target = out.parent.resolve(), recording.resolve()
    if not target.is_relative_to(folder):
        raise DocumentError(
            f"'{recording.name}' does not lie beside or below {out}: "
            "write the document next to it, or write a bundle.zip."
        )
    sound.path = os.path.relpath(target, folder).replace(os.sep, "/")
    out.write_text(document.model_dump_json(indent=2) + "\n", "utf-8")
    return Made("an instrument", facts)
