"""``bloom validate``: whether documents can be opened here, and whether what they play is there."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import click

from innerbloom.cli.progress import progress
from innerbloom.cli.results import json_option, result
from innerbloom.cli.trust import trust_option, trusted
from innerbloom.core.errors import BloomError


@click.command()
@trust_option
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
@json_option
def validate(files: tuple[Path, ...]) -> None:
    """Check FILES: instruments, ensembles, bundles, takes, wavetables, spectra, chains, recipes, timelines.

    The first thing wrong with each is named with its path in the document; recordings are compared with
    the hashes by which they are named.
    """
    wrong = 0
    with progress("Checking") as told:
        for number, file in enumerate(files, 1):
            found = _checked(file)
            wrong += "error" in found
            result(found, _line(found))
            told(number / len(files))
    if wrong:
        sys.exit(1)


def _checked(file: Path) -> dict[str, Any]:
    from innerbloom.core.deliver.exporters.opening import open_subject

    try:
        with open_subject(file, trusted=trusted()) as subject:
            sounds = _sounds(subject)
            return {"path": str(file), "kind": subject.kind, "sounds": sounds}
    except BloomError as error:
        return {"path": str(file), "error": str(error)}
    except OSError as error:
        return {"path": str(file), "error": f"It cannot be opened: {error.strerror}."}


def _sounds(subject: Any) -> int:
    """How many recordings a document plays, each of which is there; raises a BloomError otherwise."""
    from innerbloom.core.deliver.bundle import parts_of
    from innerbloom.core.deliver.exporters.subjects import PlayableSubject
    from innerbloom.core.instrument.document import sounds_of

    if not isinstance(subject, PlayableSubject):
        return 0
    parts = parts_of(subject.document).values()
    return len({subject.locate(sound) for part in parts for sound in sounds_of(part)})


def _line(found: dict[str, Any]) -> str:
    if "error" in found:
        return f"{found['path']}: {found['error']}"
    sounds = found["sounds"]
    beside = f", {sounds} {'recording' if sounds == 1 else 'recordings'} found" if sounds else ""
    return f"{found['path']}: {found['kind']}, whole{beside}."
