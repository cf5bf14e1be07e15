"""Films of a project, and what was measured of its timelines; a folder each, by hash."""

from __future__ import annotations

import hashlib
import json
import os
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ValidationError

from innerbloom.core.atomic import written_whole
from innerbloom.core.errors import BloomError
from innerbloom.core.sound.resampled import ResampledSource
from innerbloom.core.timeline.document import Clip, Timeline
from innerbloom.core.timeline.film import FilmInfo
from innerbloom.core.timeline.measure import TimelineMeasure
from innerbloom.core.timeline.mix import MIX_RATE
from innerbloom.store.files import FileStore
from innerbloom.store.take_folders import TakeFolders

PROXY, SOUND, INFO = "proxy.mp4", "sound.wav", "film.json"


class StoredFilm(BaseModel):
    """What is known of a film: :class:`.FilmInfo`, its own name, and where it cuts."""

    name: str
    rate: str
    told_rate: float
    frames: int
    width: int
    height: int
    sound: bool
    timecode: str
    cuts: list[int]

    @classmethod
    def of(cls, info: FilmInfo, name: str, cuts: list[int]) -> StoredFilm:
        return cls(name=name, cuts=cuts, **info.__dict__)


class Handed(BaseModel):
    """What was handed over last: when, its stems, how many files, and the timeline as it was."""

    when: str
    stems: int
    files: int
    document: dict[str, Any]


class FilmFolders:
    """Where a project keeps films, and what belongs to their timelines."""

    def __init__(self, store: FileStore) -> None:
        self.root = store.root / "films"
        self._measured = self.root / "measured"
        self._handed = self.root / "handed"

    def folder(self, digest: str) -> Path:
        return self.root / digest

    def file(self, digest: str, name: str) -> Path:
        """A film's proxy or sound.

        Raises
        ------
        BloomError
            If it is not there.
        """
        path = self.folder(digest) / name
        if not path.is_file():
            raise BloomError("This film is not in this project any more: add it again.")
        return path

    def adopt(self, digest: str, incoming: Path, film: StoredFilm) -> None:
        """Take a film's own file in beside its proxy, and note that all of it is there."""
        folder = self.folder(digest)
        os.replace(incoming, folder / f"original{incoming.suffix}")
        with written_whole(folder / INFO) as beside:
            beside.write_text(film.model_dump_json(), "utf-8")

    def read(self, digest: str) -> StoredFilm | None:
        """What is known of a film; None where it is not there."""
        try:
            return StoredFilm.model_validate_json((self.folder(digest) / INFO).read_bytes())
        except (OSError, ValidationError):
            return None

    # -- what was measured -------------------------------------------------------

    def measured(self, timeline: Timeline) -> TimelineMeasure | None:
        """The measure of a timeline as it is now; None where it has not been measured so."""
        try:
            data = (self._measured / f"{mix_key(timeline)}.json").read_bytes()
            return TimelineMeasure.model_validate_json(data)
        except (OSError, ValidationError):
            return None

    def keep_measure(self, timeline: Timeline, found: TimelineMeasure) -> None:
        self._measured.mkdir(parents=True, exist_ok=True)
        with written_whole(self._measured / f"{mix_key(timeline)}.json") as beside:
            beside.write_text(found.model_dump_json(), "utf-8")

    # -- what was handed over ----------------------------------------------------

    def handed(self, timeline_id: int) -> Handed | None:
        """What was handed over last of a timeline."""
        try:
            data = (self._handed / f"{timeline_id}.json").read_bytes()
            return Handed.model_validate_json(data)
        except (OSError, ValidationError):
            return None

    def keep_handed(self, timeline_id: int, told: Handed) -> None:
        self._handed.mkdir(parents=True, exist_ok=True)
        with written_whole(self._handed / f"{timeline_id}.json") as beside:
            beside.write_text(told.model_dump_json(), "utf-8")


def mix_key(timeline: Timeline) -> str:
    """What the mix of a timeline depends on, as a hash: its lanes, rate and length."""
    parts = timeline.model_dump(mode="json", include={"lanes", "rate", "frames"})
    for lane in parts["lanes"]:
        lane["solo"] = False
    return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()


class ClipSounds:
    """Opens what clips play, from the shelf or from takes."""

    def __init__(self, store: FileStore) -> None:
        self._store, self._takes = store, TakeFolders(store)

    def path(self, clip: Clip) -> Path:
        """The file that a clip plays; raises a BloomError where it is gone."""
        if clip.recording is not None:
            return self._store.readable(clip.recording)
        assert clip.take is not None
        return self._takes.sound_of(clip.take)

    def __call__(self, clip: Clip) -> ResampledSource:
        return ResampledSource(self.path(clip), MIX_RATE)
