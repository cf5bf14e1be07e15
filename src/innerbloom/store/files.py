"""Where a project keeps its files. Originals are stored once, under their hash, for good."""

from __future__ import annotations

import os
import shutil
import uuid
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.atomic import kept_on_disk, written_whole
from innerbloom.core.digest import file_digest
from innerbloom.core.errors import BloomError, SoundFileError
from innerbloom.core.materials.protocol import Located
from innerbloom.store.disk_cache import DiskCache
from innerbloom.store.sounding import Sounding

if TYPE_CHECKING:
    from innerbloom.core.analysis.examine import Examination

STAGE_SOUND = "sound.wav"
"""The sound of a stage, in its folder."""

_SUFFIXES = frozenset(
    [
        ".wav",
        ".wave",
        ".bwf",
        ".rf64",
        ".aif",
        ".aiff",
        ".aifc",
        ".flac",
        ".ogg",
        ".oga",
        ".opus",
        ".mp3",
        ".caf",
        ".au",
        ".w64",
        ".m4a",
        ".aac",
        ".mp4",
        ".mov",
        ".webm",
        ".mkv",
        ".wma",
    ]
)


class FileStore:
    """The folder of one project."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self.originals = root / "recordings"
        self.derived = root / "derived"
        self.incoming = root / "incoming"
        self.jobs = root / "jobs"
        self.renders = root / "renders"
        self.captures = root / "captures"
        self.card = root / "card"
        self.sketches = root / "sketches"
        self.movements = root / "movements"
        self.chains = root / "chains"
        self.takes = root / "takes"
        for folder in self._folders():
            folder.mkdir(parents=True, exist_ok=True)
        self.sounding = Sounding(self.jobs)
        self.prepared = DiskCache(root / "prepared")
        self.stages = DiskCache(root / "stages")

    def _folders(self) -> tuple[Path, ...]:
        return (
            self.originals,
            self.derived,
            self.incoming,
            self.jobs,
            self.renders,
            self.captures,
            self.sketches,
            self.takes,
        )

    @property
    def database(self) -> Path:
        return self.root / "project.sqlite3"

    # -- originals -------------------------------------------------------------

    def find(self, digest: str) -> Path | None:
        """The original with this hash, or None."""
        folder = self.originals / digest[:2]
        return next(iter(folder.glob(f"{digest}.*")), None) if folder.is_dir() else None

    def readable(self, digest: str) -> Path:
        """A file with the samples of a recording, or of a stage of one, that libsndfile reads.

        Raises
        ------
        SoundFileError
            If the recording is not in this project.
        """
        for derived in (self.decoded_path(digest), self.stages.folder(digest) / STAGE_SOUND):
            if derived.is_file():
                return derived
        path = self.find(digest)
        if path is None:
            raise SoundFileError("The recording this plays is not in this project: add it again.")
        return path

    def locate(self, sound: Located) -> Path:
        """Find the audio of a sound."""
        if sound.recording is None:
            raise SoundFileError("This layer has no recording: choose one.")
        return self.readable(sound.recording)

    def adopt(self, incoming: Path, digest: str, suffix: str, *, leave: bool = False) -> Path:
        """Take a whole file in under its hash; a copy already there wins.

        Parameters
        ----------
        leave : bool
            Whether the file stays in its place as well, for as long as nobody has entered it.
        """
        present = self.find(digest)
        if present is None:
            present = self.originals / digest[:2] / f"{digest}{suffix}"
            present.parent.mkdir(exist_ok=True)
            if leave:
                linked(incoming, present)
            else:
                os.replace(incoming, present)
            kept_on_disk(present)
        if not leave:
            incoming.unlink(missing_ok=True)
        return present

    def mend(self, incoming: Path, digest: str, suffix: str) -> bool:
        """Put a file in place of the original of the same hash where that is missing or damaged.

        Gives whether it was needed; ``incoming`` is gone either way.
        """
        present = self.find(digest)
        whole = present is not None and file_digest(present) == digest
        if present is None:
            self.adopt(incoming, digest, suffix)
        elif not whole:
            os.replace(incoming, present)
            kept_on_disk(present)
        incoming.unlink(missing_ok=True)
        return not whole

    def check(self, digest: str) -> None:
        """Refuse an original that is no longer what came in; one that is not there is left to whoever reads it.

        Raises
        ------
        SoundFileError
        """
        path = self.find(digest)
        if path is not None and file_digest(path) != digest:
            raise SoundFileError(
                f"The file '{path.name[:12]}…' of this recording is damaged on the disk: add it again, which mends it."
            )

    # -- what is derived from them ---------------------------------------------

    def decoded_path(self, digest: str) -> Path:
        """Where the samples of a format libsndfile does not read are kept decoded."""
        return self.derived / f"{digest}.wav"

    def save_pictures(self, digest: str, found: Examination) -> None:
        """Keep what a recording's pictures are drawn from."""
        for name, array in pictures_of(found).items():
            with written_whole(self.derived / f"{digest}.{name}.npy") as beside:
                np.save(beside, array)

    def picture(self, digest: str, name: str) -> NDArray[Any]:
        """``peaks``, ``spectrum`` or ``onsets`` of a sound, mapped rather than read."""
        staged = self.stages.folder(digest) / f"{name}.npy"
        for path in (self.derived / f"{digest}.{name}.npy", staged):
            if path.is_file():
                found: NDArray[Any] = np.load(path, mmap_mode="r")
                return found
        raise SoundFileError("There is no picture of this sound: add it again.")

    # -- passing through -------------------------------------------------------

    def new_incoming(self, name: str) -> Path:
        """An unused place for a file on its way in, with a safe suffix."""
        return self.incoming / f"{uuid.uuid4().hex}{safe_suffix(name)}"

    def room_for(self, size: int) -> None:
        """Refuse early what the disk cannot take."""
        free = shutil.disk_usage(self.root).free
        if size + (64 << 20) > free:
            raise BloomError(
                f"The disk has {free / 1e9:.1f} GB free, too little for this file of "
                f"{size / 1e9:.1f} GB: make room and try again."
            )

    def set_aside(self, path: Path, name: str) -> Path:
        """Keep a file that cannot be worked on; gives where, under a name of its own."""
        folder = self.root / "set aside"
        folder.mkdir(exist_ok=True)
        stem = f"{safe_title(name, 'File')} {path.stem[:8]}"
        target = folder / f"{stem}{path.suffix}"
        if path.is_file():
            os.replace(path, target)
        return target

    def sweep(self, keep: set[str]) -> None:
        """Remove half files that a kill left behind, except those still to be worked on."""
        for path in self.incoming.iterdir():
            if path.name not in keep:
                shutil.rmtree(path) if path.is_dir() else path.unlink(missing_ok=True)
        for folder in (self.jobs, self.renders, self.derived):
            for path in folder.glob(".*"):
                path.unlink(missing_ok=True)
        self.prepared.sweep()
        self.stages.sweep()
        for path in self.jobs.iterdir():
            if path.is_file():
                path.unlink()


def pictures_of(found: Examination) -> dict[str, NDArray[Any]]:
    """What pictures are drawn from, by name."""
    onsets = np.stack((found.onsets.values, found.onsets.level_db))
    return {"peaks": found.peaks, "spectrum": found.spectrum, "onsets": onsets}


def safe_suffix(name: str) -> str:
    """The suffix of a file name if it is a known one, else ``.bin``."""
    suffix = Path(name.replace("\\", "/")).suffix.lower()
    return suffix if suffix in _SUFFIXES else ".bin"


def safe_title(name: str, fallback: str = "Recording") -> str:
    """A file name, however strange, as a name to show: no folders, no control characters."""
    base = name.replace("\\", "/").rsplit("/", 1)[-1]
    stem = base.rsplit(".", 1)[0] if "." in base[1:] else base
    shown = "".join(letter for letter in stem if letter.isprintable()).strip(" .")
    return shown[:120] or fallback


def linked(source: Path, target: Path) -> None:
    """Give a file a second name; a copy where the file system has no such names."""
    try:
        os.link(source, target)
    except OSError:
        with written_whole(target) as beside:
            shutil.copyfile(source, beside)
