"""A folder that is handed over, as one zip."""

from __future__ import annotations

import zipfile
from pathlib import Path

from innerbloom.core.atomic import written_whole


def zip_folder(folder: Path, target: Path) -> None:
    """Write a folder's files into a zip, whole or not at all; they are gone from the folder then."""
    # sounds hardly get smaller
    with (
        written_whole(target) as beside,
        zipfile.ZipFile(beside, "w", zipfile.ZIP_STORED) as out,
    ):
        for path in sorted(one for one in folder.rglob("*") if one.is_file()):
            out.write(path, f"{folder.name}/{path.relative_to(folder).as_posix()}")
            path.unlink()
