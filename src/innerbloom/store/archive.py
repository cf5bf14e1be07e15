"""A whole project as one archive: to back it up, to take it to another machine, and to open it there.

A plain tar, readable by any system's own tools: a manifest first, with the size and SHA-256 of every file,
so that of an archive that was cut short it can be told what is whole; ``SHA256SUMS`` for
``sha256sum -c``; then the files. The database is a consistent copy (SQLite's backup), whatever is being done meanwhile.
"""

from __future__ import annotations

import hashlib
import io
import os
import shutil
import tarfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path, PurePosixPath
from tempfile import TemporaryDirectory
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, ValidationError

from innerbloom import __version__
from innerbloom.core.atomic import folder_written_whole, written_whole
from innerbloom.core.errors import BundleError, Cancelled
from innerbloom.store.backups import copy_database
from innerbloom.store.files import FileStore

MANIFEST, CHECKSUMS = "MANIFEST.json", "SHA256SUMS"
SUFFIX = ".tar"
Report = Callable[[float], bool]

_PASSING = {"incoming", "backups", "jobs", "renders", "prepared", "stages", "captures"}
"""Folders that pass: what is on its way, and what is made again as it is wanted."""

_DATABASE = "project.sqlite3"
_MOST_MANIFEST_BYTES = 512 << 20
_PIECE = 1 << 20


class ArchivedFile(BaseModel):
    """A file of an archive: its name within the project, its size in bytes, and its SHA-256."""

    model_config = ConfigDict(extra="forbid")

    name: str
    bytes: int
    sha256: str


class Manifest(BaseModel):
    """What an archive holds, written at its beginning."""

    model_config = ConfigDict(extra="forbid")

    format: Literal["inner-bloom/project"] = "inner-bloom/project"
    version: Literal[1] = 1
    made_by: str = __version__
    made: datetime
    files: list[ArchivedFile]


@dataclass
class Verified:
    """What is whole of an archive, or of a project's recordings.

    Attributes
    ----------
    whole : list of str
    damaged : list of str
        There, but not as they were.
    missing : list of str
    """

    whole: list[str] = field(default_factory=list)
    damaged: list[str] = field(default_factory=list)
    missing: list[str] = field(default_factory=list)

    @property
    def sound(self) -> bool:
        """Whether nothing is damaged or missing."""
        return not self.damaged and not self.missing

    def words(self) -> str:
        """One sentence."""
        total = len(self.whole) + len(self.damaged) + len(self.missing)
        if self.sound:
            return f"All {total} files are whole."
        lost = [*self.damaged, *self.missing]
        shown = ", ".join(lost[:3]) + (f" and {len(lost) - 3} more" if len(lost) > 3 else "")
        return f"{len(self.whole)} of {total} files are whole; not whole: {shown}."


def write_archive(store: FileStore, target: Path, report: Report = lambda share: True) -> Manifest:
    """Write the project to one file, whole or not at all.

    Raises
    ------
    Cancelled
        If ``report`` gives False.
    """
    with TemporaryDirectory(dir=target.parent) as beside:
        database = Path(beside) / _DATABASE
        copy_database(store.database, database)
        paths = {_DATABASE: database, **_files(store.root)}
        step = _Progress(2 * sum(path.stat().st_size for path in paths.values()), report)
        listed = [_listed(name, path, step) for name, path in paths.items()]
        manifest = Manifest(made=datetime.now(UTC), files=listed)
        with written_whole(target) as whole, tarfile.open(whole, "w") as out:
            _add_bytes(out, MANIFEST, manifest.model_dump_json(indent=1).encode())
            sums = "".join(f"{one.sha256}  {one.name}\n" for one in listed)
            _add_bytes(out, CHECKSUMS, sums.encode())
            for one in listed:
                _add_file(out, one, paths[one.name], step)
    return manifest


def _files(root: Path) -> dict[str, Path]:
    """All files that stay, by their names within the project."""
    found = {}
    for folder in sorted(path for path in root.iterdir() if path.is_dir()):
        if folder.name in _PASSING or folder.name.startswith("."):
            continue
        for path in sorted(folder.rglob("*")):
            if path.is_file() and not path.name.startswith("."):
                found[path.relative_to(root).as_posix()] = path
    return found


class _Progress:
    """Told bytes as they pass; raises Cancelled."""

    def __init__(self, total: int, report: Report) -> None:
        self._total, self._report, self._done = max(1, total), report, 0

    def __call__(self, count: int) -> None:
        self._done += count
        if not self._report(min(1.0, self._done / self._total)):
            raise Cancelled("Stopped.")


def _pieces(file: Any, size: int, step: _Progress) -> Iterator[bytes]:
    """So many bytes of a file, and no more: it may be growing."""
    left = size
    while left:
        piece = file.read(min(_PIECE, left))
        if not piece:
            return
        left -= len(piece)
        step(len(piece))
        yield piece


def _listed(name: str, path: Path, step: _Progress) -> ArchivedFile:
    size, found = path.stat().st_size, hashlib.sha256()
    with path.open("rb") as file:
        for piece in _pieces(file, size, step):
            found.update(piece)
    return ArchivedFile(name=name, bytes=size, sha256=found.hexdigest())


def _add_bytes(out: tarfile.TarFile, name: str, content: bytes) -> None:
    info = tarfile.TarInfo(name)
    info.size = len(content)
    out.addfile(info, io.BytesIO(content))


def _add_file(out: tarfile.TarFile, one: ArchivedFile, path: Path, step: _Progress) -> None:
    info = tarfile.TarInfo(one.name)
    info.size, info.mtime = one.bytes, int(path.stat().st_mtime)
    with path.open("rb") as file:
        out.addfile(info, file)
    step(one.bytes)


# -- reading -------------------------------------------------------------------------


def verify_archive(source: Path, report: Report = lambda share: True) -> Verified:
    """Compare all files of an archive with its manifest.

    Raises
    ------
    BundleError
        If it is no archive of a project, or its manifest cannot be read.
    Cancelled
        If ``report`` gives False.
    """
    return _walk(source, report, lambda name, pieces: None)


def open_archive(
    source: Path, folder: Path, *, salvage: bool = False, report: Report = lambda share: True
) -> Verified:
    """Unpack an archive into a new folder, verified; nothing is there unless all of it is whole.

    Parameters
    ----------
    salvage : bool
        Take what is whole, as long as the database is.

    Raises
    ------
    BundleError
        If it is no archive of a project, or is damaged: says what is whole.
    FileExistsError
        If the folder is there already.
    Cancelled
        If ``report`` gives False.
    """
    with folder_written_whole(folder) as beside:

        def unpack(name: str, pieces: Iterator[bytes]) -> None:
            path = beside / name
            path.parent.mkdir(parents=True, exist_ok=True)
            with path.open("wb") as out:
                for piece in pieces:
                    out.write(piece)
                out.flush()
                os.fsync(out.fileno())

        found = _walk(source, report, unpack)
        for name in found.damaged:
            (beside / name).unlink(missing_ok=True)
        if not found.sound and not salvage:
            raise BundleError(f"The archive is damaged: {found.words()}")
        if _DATABASE not in found.whole:
            raise BundleError(
                f"The archive's database is lost, and with it all names and documents: {found.words()}"
            )
    return found


def _walk(source: Path, report: Report, take: Callable[[str, Iterator[bytes]], None]) -> Verified:
    """Read an archive from end to end, as far as it goes; its files are given to ``take``."""
    if not source.is_file():
        raise BundleError(f"There is no archive '{source.name}'.")
    found = Verified()
    step = _Progress(source.stat().st_size, report)
    with source.open("rb") as raw:
        wanted: dict[str, ArchivedFile] = {}
        try:
            with tarfile.open(fileobj=raw, mode="r|") as archive:
                for member in archive:
                    if not wanted:
                        wanted = {one.name: one for one in _manifest(archive, member).files}
                    elif member.name in wanted:
                        _read_member(archive, member, wanted, found, step, take)
        except (tarfile.TarError, EOFError, OSError, UnicodeError) as error:
            if isinstance(error, OSError) and error.errno is not None:
                raise
            if not wanted:
                raise BundleError(f"'{source.name}' is not an archive of a project.") from error
    if not wanted:
        raise BundleError(f"'{source.name}' is not an archive of a project.")
    known = {*found.whole, *found.damaged}
    found.missing = [name for name in wanted if name not in known]
    return found


def _read_member(
    archive: tarfile.TarFile, member: tarfile.TarInfo, wanted: dict[str, ArchivedFile],
    found: Verified, step: _Progress, take: Callable[[str, Iterator[bytes]], None],
) -> None:  # fmt: skip
    one = wanted[member.name]
    file = archive.extractfile(member) if member.isreg() else None
    if file is None:
        found.damaged.append(one.name)
        return
    digest, size = hashlib.sha256(), 0

    def pieces() -> Iterator[bytes]:
        nonlocal size
        for piece in _pieces(file, member.size, step):
            digest.update(piece)
            size += len(piece)
            yield piece

    given = pieces()
    try:
        take(one.name, given)
        for _ in given:
            pass
    except (tarfile.TarError, EOFError):
        pass
    whole = size == one.bytes and digest.hexdigest() == one.sha256
    (found.whole if whole else found.damaged).append(one.name)


def _manifest(archive: tarfile.TarFile, member: tarfile.TarInfo) -> Manifest:
    """The manifest, checked: an archive from elsewhere is not trusted."""
    if member.name != MANIFEST or member.size > _MOST_MANIFEST_BYTES or not member.isreg():
        raise BundleError(
            "This is not an archive of a project: it has no manifest at its beginning."
        )
    file = archive.extractfile(member)
    assert file is not None
    try:
        manifest = Manifest.model_validate_json(file.read())
    except ValidationError as error:
        raise BundleError("The archive's manifest cannot be read: it is damaged.") from error
    for one in manifest.files:
        parts = PurePosixPath(one.name).parts
        if (
            not parts
            or one.name.startswith("/")
            or ".." in parts
            or "\\" in one.name
            or ":" in one.name
        ):
            raise BundleError(f"The archive holds an unsafe name: '{one.name[:80]}'.")
    return manifest


# -- a project where it lies ----------------------------------------------------------


def verify_recordings(store: FileStore, report: Report = lambda share: True) -> Verified:
    """Compare all originals of a project with the hashes that they are called by.

    Raises
    ------
    Cancelled
        If ``report`` gives False.
    """
    found = Verified()
    paths = sorted(path for path in store.originals.glob("*/*") if not path.name.startswith("."))
    step = _Progress(sum(path.stat().st_size for path in paths), report)
    for path in paths:
        whole = _listed(path.name, path, step).sha256 == path.stem
        (found.whole if whole else found.damaged).append(path.name)
    return found


def room_for(archive: Path, folder: Path) -> None:
    """Refuse early what the disk cannot take; raises a BundleError."""
    parent = next(one for one in (folder, *folder.parents) if one.exists())
    free, size = shutil.disk_usage(parent).free, archive.stat().st_size
    if size + (64 << 20) > free:
        raise BundleError(
            f"The disk has {free / 1e9:.1f} GB free, too little for this archive of {size / 1e9:.1f} GB."
        )
