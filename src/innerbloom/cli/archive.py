"""``bloom archive``, ``bloom open`` and ``bloom check``: a whole project as one file, and back."""

from __future__ import annotations

import sys
from dataclasses import asdict
from pathlib import Path

import click

from innerbloom.cli.output import check_output
from innerbloom.cli.progress import progress, quiet_option
from innerbloom.cli.results import json_option, result
from innerbloom.core.errors import BloomError

_FOLDER = click.Path(path_type=Path, file_okay=False)


@click.command()
@quiet_option
@json_option
@click.argument("folder", type=_FOLDER)
@click.option("--out", required=True, type=click.Path(path_type=Path, dir_okay=False),
              help="The archive, a .tar.")  # fmt: skip
@click.option("--force", is_flag=True, help="Write over a file that is there.")
def archive(folder: Path, out: Path, force: bool) -> None:
    """Write the project in FOLDER to one file, with checksums; it may be open meanwhile."""
    from innerbloom.store.archive import write_archive
    from innerbloom.store.files import FileStore

    if not (folder / "project.sqlite3").is_file():
        raise BloomError(f"'{folder}' is not the folder of a project.")
    check_output(out, (), force=force)
    with progress("Backing up") as told:
        made = write_archive(FileStore(folder), out, told)
    result(
        {"output": str(out), "files": len(made.files)}, f"Wrote {len(made.files)} files to {out}."
    )


@click.command("open")
@quiet_option
@json_option
@click.argument("archive", type=click.Path(path_type=Path, dir_okay=False))
@click.option("--folder", required=True, type=_FOLDER, help="A folder that is not there yet.")
@click.option("--salvage", is_flag=True, help="Take what is whole of a damaged archive.")
def open_(archive: Path, folder: Path, salvage: bool) -> None:
    """Unpack ARCHIVE into a project folder, every file verified; 'bloom serve --folder' opens it."""
    from innerbloom.store.archive import open_archive, room_for

    if folder.exists():
        raise BloomError(f"'{folder}' is there already: choose another folder.")
    if archive.is_file():
        room_for(archive, folder)
    with progress("Opening") as told:
        found = open_archive(archive, folder, salvage=salvage, report=told)
    result({"output": str(folder), **asdict(found)}, f"{found.words()} They lie in {folder}.")


@click.command()
@quiet_option
@json_option
@click.argument("what", metavar="PROJECT|ARCHIVE", type=click.Path(path_type=Path))
def check(what: Path) -> None:
    """Compare the recordings of a project, or all of an archive, with their checksums."""
    from innerbloom.store.archive import verify_archive, verify_recordings
    from innerbloom.store.files import FileStore

    with progress("Checking") as told:
        if what.is_dir():
            if not (what / "recordings").is_dir():
                raise BloomError(f"'{what}' is not the folder of a project.")
            found = verify_recordings(FileStore(what), told)
        else:
            found = verify_archive(what, told)
    result(asdict(found), found.words())
    sys.exit(0 if found.sound else 1)
