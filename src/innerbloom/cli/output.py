"""What commands write: never over what they read, and over nothing else unless asked to."""

from __future__ import annotations

import functools
import json
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import click

from innerbloom.core.errors import BloomError

if TYPE_CHECKING:
    from innerbloom.core.sound.writing import Format

F = TypeVar("F", bound=Callable[..., Any])
_LARGEST_DOCUMENT = 64 << 20


def output_file(help: str) -> Callable[[F], Any]:
    """``--out FILE`` and ``--force`` for a command, which is given ``out`` alone.

    It is refused if it is an input, a file that a document among the inputs names, or, without
    ``--force``, if it is there already.
    """

    def decorate(function: F) -> Any:
        @functools.wraps(function)
        def checked(*args: Any, out: Path, force: bool, **options: Any) -> Any:
            check_output(out, _paths((*args, *options.values())), force=force)
            return function(*args, out=out, **options)

        path = click.Path(path_type=Path, dir_okay=False)
        forced = click.option("--force", is_flag=True, help="Write over a file that is there.")
        return click.option("--out", required=True, type=path, help=help)(forced(checked))

    return decorate


def sound_format(out: Path, as_float: bool = False) -> Format:
    """The format that a name asks for, 32-bit float if that is asked for; raises a UsageError."""
    from innerbloom.core.sound.writing import format_for

    try:
        form = format_for(out)
    except ValueError as error:
        raise click.UsageError(str(error)) from error
    return "wav32f" if as_float and form == "wav24" else form


def has_suffix(*suffixes: str) -> Callable[[Path], None]:
    """A check that an output ends in one of these; raises a UsageError."""

    def check(out: Path) -> None:
        if out.suffix.lower() not in suffixes:
            raise click.UsageError(f"'{out.name}' has to end in {' or '.join(suffixes)}.")

    return check


def check_output(out: Path, inputs: Iterable[Path], *, force: bool = False) -> None:
    """Refuse a file that would eat something; raises a BloomError."""
    refuse_output(out, read_by(inputs), force=force)


def read_by(inputs: Iterable[Path]) -> dict[tuple[int, int], str]:
    """What is read, by device and number of its file, each with what it is to whoever asks."""
    found: dict[tuple[int, int], str] = {}
    for one in inputs:
        for path in (one, *_named_in(one)):
            if path.exists():
                what = "an input" if path == one else f"played by '{one.name}'"
                found.setdefault(_identity(path), what)
    return found


def _identity(path: Path) -> tuple[int, int]:
    status = path.stat()
    return status.st_dev, status.st_ino


def refuse_output(out: Path, read: dict[tuple[int, int], str], *, force: bool = False) -> None:
    """The same for many outputs of inputs that were looked at once, by :func:`read_by`."""
    if not out.exists():
        return
    what = read.get(_identity(out))
    if what is not None:
        raise BloomError(f"'{out}' is {what} and stays as it is: choose another name.")
    if not force:
        raise BloomError(f"'{out}' is there already: choose another name, or say --force.")


def _paths(values: Iterable[Any]) -> Iterator[Path]:
    for value in values:
        if isinstance(value, Path):
            yield value
        elif isinstance(value, tuple | list):
            yield from _paths(value)


def _named_in(document: Path) -> list[Path]:
    """Files that a JSON document names, beside it."""
    if document.suffix.lower() != ".json" or not document.is_file():
        return []
    if document.stat().st_size > _LARGEST_DOCUMENT:
        return []
    try:
        plain = json.loads(document.read_text("utf-8"))
    except (OSError, ValueError, RecursionError):
        return []
    return [document.parent / name for name in _names(plain)]


def _names(plain: Any) -> Iterator[str]:
    if isinstance(plain, dict):
        name = plain.get("path")
        if isinstance(name, str) and name:
            yield name
        for value in plain.values():
            yield from _names(value)
    elif isinstance(plain, list):
        for value in plain:
            yield from _names(value)
