"""Takes as folders: written as they are recorded, so that a crash loses two seconds at most."""

from __future__ import annotations

import os
import shutil
import uuid
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile as sf
from numpy.typing import NDArray

from innerbloom.core.atomic import written_whole
from innerbloom.core.errors import BloomError, PerformanceError
from innerbloom.core.performance.take import RATE, Take
from innerbloom.core.performance.take_format import (
    EVENTS,
    HEADER,
    SOUND,
    TakeHeader,
    lines_of,
    parse_header,
    read_take,
)
from innerbloom.store.ages import age_s
from innerbloom.store.files import FileStore

MOST_S = 7_200.0
"""A take lasts two hours at most: a WAV file holds three."""

RENDERINGS = "again"
"""Where in its folder lies what a take was played again to."""

_RUNNING_S = 5.0
"""Takes are written every second; one left alone for so long was cut short."""


@dataclass(frozen=True)
class StoredTake:
    """A take as its folder holds it.

    Attributes
    ----------
    id : str
    header : TakeHeader
    take : Take
    lost : int
        Lines of its events that could not be read.
    cut_short : bool
        Whether recording it did not come to its end.
    """

    id: str
    header: TakeHeader
    take: Take
    lost: int
    cut_short: bool


class TakeFolders:
    """The takes of a project, each in a folder of its own."""

    def __init__(self, store: FileStore) -> None:
        self._root = store.takes

    def folder(self, take_id: str) -> Path:
        """Where a take lies.

        Raises
        ------
        BloomError
            If that is no id of a take.
        """
        if len(take_id) != 32 or not set(take_id) <= set("0123456789abcdef"):
            raise BloomError("There is no such take.")
        return self._root / take_id

    def sound(self, take_id: str) -> Path:
        """The file with a take's sound, ahead of the limiter; it may not be there."""
        return self.folder(take_id) / SOUND

    def sound_path(self, address: str) -> Path:
        """Where the sound of ``"take"``, or of ``"take/rendering"``, lies; it may not be there."""
        take_id, _, rendering = address.partition("/")
        folder = self.folder(take_id)
        return folder / RENDERINGS / f"{rendering}.wav" if rendering else folder / SOUND

    def sound_of(self, address: str) -> Path:
        """The same, where it is there.

        Raises
        ------
        BloomError
            If it has none.
        """
        path = self.sound_path(address)
        if not path.is_file():
            raise BloomError("This take has no sound yet: play it again.")
        return path

    def ids(self) -> list[str]:
        """All takes that are not being recorded, oldest first."""
        if not self._root.is_dir():
            return []
        found = [path for path in self._root.iterdir() if (path / HEADER).is_file()]
        return [path.name for path in sorted(found, key=_age) if not self.is_running(path.name)]

    def is_running(self, take_id: str) -> bool:
        """Whether a take is being recorded at this moment."""
        folder = self.folder(take_id)
        try:
            if parse_header((folder / HEADER).read_text("utf-8")).frames is not None:
                return False
        except (OSError, PerformanceError):
            return False
        return age_s(folder / EVENTS) < _RUNNING_S

    def read(self, take_id: str) -> StoredTake:
        """A take, its events and how long its sound is.

        Raises
        ------
        BloomError
            If there is none, or its header cannot be read.
        """
        folder = self.folder(take_id)
        try:
            header = parse_header((folder / HEADER).read_text("utf-8"))
        except OSError as error:
            raise BloomError("There is no such take: it was deleted.") from error
        lines: list[str] = []
        with suppress(OSError):
            lines = (folder / EVENTS).read_text("utf-8", errors="replace").splitlines()
        frames = header.frames if header.frames is not None else _frames(folder / SOUND)
        take, lost = read_take(header, lines, frames)
        return StoredTake(take_id, header, take, lost, header.frames is None)

    def write(self, header: TakeHeader, take: Take) -> str:
        """Keep a whole take without its sound; gives its id."""
        take_id = uuid.uuid4().hex
        folder = self.folder(take_id)
        folder.mkdir(parents=True)
        (folder / EVENTS).write_text("".join(f"{line}\n" for line in lines_of(take)), "utf-8")
        write_header(folder, header)
        return take_id

    def remove(self, take_id: str) -> None:
        """Take a take off the disk."""
        shutil.rmtree(self.folder(take_id), ignore_errors=True)


def write_header(folder: Path, header: TakeHeader) -> None:
    """Write a header, whole or not at all."""
    with written_whole(folder / HEADER) as beside:
        beside.write_text(header.model_dump_json(), "utf-8")


class TakeFile:
    """The files of a take that grows.

    Parameters
    ----------
    folder : Path
        Made if it is not there.
    """

    def __init__(self, folder: Path, header: TakeHeader) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self._folder, self._header = folder, header
        self._events = (folder / EVENTS).open("a", encoding="utf-8")
        sf.SoundFile(folder / SOUND, "w", RATE, 2, "FLOAT", format="WAV").close()
        write_header(folder, header.model_copy(update={"frames": None}))
        self.frames = 0

    def append(self, lines: Sequence[str], sound: NDArray[np.float32]) -> None:
        """Add events and sound of shape (frames, 2), and see to it that they are on the disk.

        The header of the sound tells its new length only once its samples are there.
        """
        self._events.writelines(f"{line}\n" for line in lines)
        self._events.flush()
        os.fsync(self._events.fileno())
        if len(sound):
            with sf.SoundFile(self._folder / SOUND, "r+") as out:
                out.seek(0, sf.SEEK_END)
                out.write(sound)
            self.frames += len(sound)

    def end(self) -> None:
        """The take is whole."""
        self._events.close()
        write_header(self._folder, self._header.model_copy(update={"frames": self.frames}))


def _frames(path: Path) -> int:
    try:
        return int(sf.info(path).frames)
    except (OSError, sf.LibsndfileError):
        return 0


def _age(path: Path) -> float:
    try:
        return (path / HEADER).stat().st_ctime
    except OSError:
        return 0.0
