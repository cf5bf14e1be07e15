"""Opening an instrument or an ensemble from a document file or a bundle, without server or database."""

from __future__ import annotations

import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory

from innerbloom.core.deliver.bundle import unpack_bundle
from innerbloom.core.deliver.playable import Playable, parse_playable
from innerbloom.core.deliver.sources import beside
from innerbloom.core.errors import DocumentError
from innerbloom.core.materials.protocol import Locate


@contextmanager
def open_playable(path: Path, *, trusted: bool = False) -> Iterator[tuple[Playable, Locate]]:
    """A document and how to find its sounds, while the context lasts.

    Parameters
    ----------
    trusted : bool
        Whether recordings beside a document are taken as they are, whatever hashes it names.

    Raises
    ------
    DocumentError
        If it is no instrument and no ensemble; finding a sound raises it where that is missing, or
        is another one.
    """
    if not path.is_file():
        raise DocumentError(f"There is no instrument file '{path}'.")
    if zipfile.is_zipfile(path):
        with TemporaryDirectory() as folder:
            yield unpack_bundle(path, Path(folder)), beside(Path(folder), trusted=True)
        return
    try:
        text = path.read_text("utf-8")
    except UnicodeDecodeError as error:
        raise DocumentError(
            f"'{path.name}' is neither an instrument document nor a bundle."
        ) from error
    yield parse_playable(text), beside(path.parent, trusted=trusted)
