"""Files as subjects of exporters, without server or database: whatever was exported, or lies beside its sounds."""

from __future__ import annotations

import json
import zipfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from innerbloom.core.deliver.exporters import subjects as sub
from innerbloom.core.deliver.opening import open_playable
from innerbloom.core.deliver.sources import beside, read_sound
from innerbloom.core.deliver.take_file import unpack_take
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.chain_document import parse_chain
from innerbloom.core.instrument.reuse import PIECE_FORMAT, check_piece
from innerbloom.core.materials.protocol import Locate
from innerbloom.core.materials.spectrum.files import read_spectrum
from innerbloom.core.materials.wavetable.document import parse_table
from innerbloom.core.materials.wavetable.make import make_table
from innerbloom.core.performance.take_format import HEADER, SOUND
from innerbloom.core.prepare.recipe import parse_recipe
from innerbloom.core.timeline.document import parse_timeline


@contextmanager
def open_subject(path: Path, *, trusted: bool = False) -> Iterator[Any]:
    """What a file holds, while the context lasts.

    Parameters
    ----------
    trusted : bool
        As of :func:`.open_playable`.

    Raises
    ------
    BloomError
        If it is none of what can be exported, or is damaged.
    """
    if not path.is_file():
        raise DocumentError(f"There is no file '{path}'.")
    if zipfile.is_zipfile(path):
        with _zipped(path) as subject:
            yield subject
        return
    plain = _plain(path)
    opened = _DOCUMENTS.get(str(plain.get("format") or _format_by_shape(plain)))
    if opened is not None:
        yield opened(plain, beside(path.parent, trusted=trusted))
        return
    with open_playable(path, trusted=trusted) as (document, locate):
        yield sub.PlayableSubject(document, locate)


@contextmanager
def _zipped(path: Path) -> Iterator[Any]:
    with zipfile.ZipFile(path) as opened:
        names = set(opened.namelist())
    if HEADER in names:
        with TemporaryDirectory() as folder:
            header, take = unpack_take(path, Path(folder))
            sound = Path(folder) / SOUND
            yield sub.TakeSubject(header, take, sound if sound.is_file() else None)
    elif path.suffix.lower() == ".spectrum":
        yield sub.SpectrumSubject(path.stem, read_spectrum(path))
    else:
        with open_playable(path) as (document, locate):
            yield sub.PlayableSubject(document, locate)


def _plain(path: Path) -> dict[str, Any]:
    try:
        found = json.loads(path.read_text("utf-8"))
    except (OSError, ValueError, RecursionError) as error:
        raise DocumentError(f"'{path.name}' is nothing that can be exported anew.") from error
    if not isinstance(found, dict):
        raise DocumentError(f"'{path.name}' is nothing that can be exported anew.")
    return found


_SHAPES = (
    ("layers", ""),
    ("source", "inner-bloom/wavetable"),
    ("lanes", "inner-bloom/timeline"),
    ("steps", "inner-bloom/recipe"),
    ("effects", "inner-bloom/chain"),
)
"""What documents that do not say their format are told by, in this order."""


def _format_by_shape(plain: dict[str, Any]) -> str:
    return next((form for name, form in _SHAPES if name in plain), "")


def _table(plain: dict[str, Any], locate: Locate) -> sub.TableSubject:
    document = parse_table(plain)
    return sub.TableSubject(document, make_table(document, lambda sound: read_sound(sound, locate)))


def _movement(plain: dict[str, Any], locate: Locate) -> sub.PieceSubject:
    check_piece(plain)
    return sub.PieceSubject("movement", plain)


_DOCUMENTS: dict[str, Callable[[dict[str, Any], Locate], Any]] = {
    "inner-bloom/wavetable": _table,
    PIECE_FORMAT: _movement,
    "inner-bloom/chain": lambda plain, locate: sub.PieceSubject(
        "chain", parse_chain(plain).model_dump(mode="json")
    ),
    "inner-bloom/recipe": lambda plain, locate: sub.PieceSubject(
        "recipe", parse_recipe(plain).plain()
    ),
    "inner-bloom/timeline": lambda plain, locate: sub.TimelineSubject(parse_timeline(plain)),
}
