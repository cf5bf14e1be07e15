"""What lies beside handed-over files: contents, credits, checksums; and a refusal by the disk as a sentence."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import soundfile as sf

from innerbloom.core.deliver.contents import Contents, as_csv
from innerbloom.core.deliver.credits import credits_text
from innerbloom.core.digest import file_digest
from innerbloom.core.errors import BloomError

CONTENTS, TABLE, CREDITS, CHECKSUMS = "contents.json", "contents.csv", "credits.txt", "SHA256SUMS"


@contextmanager
def said_if_refused() -> Iterator[None]:
    """Turn what the disk says while files are handed over into a BloomError."""
    try:
        yield
    except FileExistsError as error:
        name = Path(error.filename or "The folder").name
        raise BloomError(f"'{name}' is there already: choose another folder.") from error
    except (OSError, sf.LibsndfileError) as error:
        why = getattr(error, "strerror", None) or "the disk refused"
        raise BloomError(f"The files cannot be written: {why}. Nothing was left.") from error


def write_papers(contents: Contents, folder: Path) -> None:
    """Contents as JSON and CSV, credits, and checksums of all files."""
    (folder / CONTENTS).write_text(contents.model_dump_json(indent=1) + "\n", "utf-8")
    (folder / TABLE).write_text(as_csv(contents), "utf-8", newline="")
    (folder / CREDITS).write_text(credits_text(contents.credits), "utf-8")
    write_checksums(folder)


def write_checksums(folder: Path) -> None:
    """SHA-256 of all files in a folder, at whatever depth, as ``sha256sum -c`` reads it."""
    files = sorted(path for path in folder.rglob("*") if path.is_file())
    sums = [f"{file_digest(path)}  {path.relative_to(folder).as_posix()}\n" for path in files]
    (folder / CHECKSUMS).write_text("".join(sums), "utf-8")
