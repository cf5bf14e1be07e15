"""Recordings from a microphone as they come in: pieces appended to a file, safe from a crash."""

from __future__ import annotations

import json
import shutil
import uuid
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.atomic import kept_on_disk, written_whole
from innerbloom.core.errors import BloomError
from innerbloom.core.sound.metadata import Origin
from innerbloom.core.sound.takes import add_markers
from innerbloom.core.sound.writing import write_sound
from innerbloom.store.ages import age_s
from innerbloom.store.files import FileStore

MOST_S = 1_800.0
_RUNNING_S = 5.0
"""Pieces come every second; without one for so long a capture was cut short."""

_KEPT_S = 86_400.0
_LARGEST_PIECE = 8 << 20
_BLOCK = 1 << 16


class OutOfStepError(BloomError):
    """A piece came that does not follow the one before it."""


@dataclass(frozen=True)
class Capture:
    """A capture: its id, format, when it began, pieces so far, and its length in seconds.

    It is ``running`` while pieces come in: then it belongs to the page that sends them.
    """

    id: str
    rate: int
    channels: int
    began: str
    pieces: int = 0
    seconds: float = 0.0
    running: bool = False


class Captures:
    """The captures of a project that are under way or were cut short."""

    def __init__(self, store: FileStore) -> None:
        self._store = store

    def begin(self, rate: int, channels: int) -> Capture:
        """Start a capture."""
        capture = Capture(uuid.uuid4().hex, rate, channels, datetime.now(UTC).isoformat())
        folder = self._store.captures / capture.id
        folder.mkdir()
        told = ("id", "rate", "channels", "began", "pieces")
        about = {key: value for key, value in asdict(capture).items() if key in told}
        (folder / "about.json").write_text(json.dumps(about), "utf-8")
        return capture

    def find(self, capture_id: str) -> Capture:
        """A capture by its id.

        Raises
        ------
        BloomError
            If there is none.
        """
        folder = self._folder(capture_id)
        try:
            about = json.loads((folder / "about.json").read_text("utf-8"))
        except (OSError, ValueError) as error:
            raise BloomError("There is no such capture: it was kept or thrown away.") from error
        pieces = sorted(folder.glob("*.f32"))
        size = sum(path.stat().st_size for path in pieces)
        seconds = size / (4 * about["channels"] * about["rate"])
        return Capture(
            **{**about, "pieces": len(pieces)}, seconds=seconds, running=age_s(folder) < _RUNNING_S
        )

    def left_over(self) -> list[Capture]:
        """Captures that were neither kept nor thrown away, oldest first.

        One that is being removed at this moment, or is damaged, does not hide the others.
        """
        found = []
        for path in self._store.captures.iterdir():
            with suppress(BloomError, OSError):
                found.append(self.find(path.name))
        return sorted(found, key=lambda one: one.began)

    def sweep(self) -> int:
        """Remove what is left of captures that hold no sound, a day after they began; gives how many.

        Whatever holds a piece stays, however damaged: only its owner knows what it is worth.
        """
        gone = 0
        for folder in self._store.captures.iterdir():
            with suppress(OSError):
                for part in folder.glob(".*"):
                    part.unlink()
                old = age_s(folder) > _KEPT_S
                if old and not any(folder.glob("*.f32")):
                    shutil.rmtree(folder)
                    gone += 1
        return gone

    def append(self, capture_id: str, number: int, data: bytes) -> Capture:
        """Keep piece ``number`` (from 0): float32 samples, little endian, interleaved.

        A piece that is sent twice is kept once.

        Raises
        ------
        BloomError
            If a piece before it is missing, or it is no sound, or the capture is full.
        """
        capture = self.find(capture_id)
        if number < capture.pieces:
            return capture
        if number > capture.pieces:
            raise OutOfStepError(f"Piece {capture.pieces + 1} of the capture is missing.")
        if not data or len(data) % (4 * capture.channels) or len(data) > _LARGEST_PIECE:
            raise BloomError("A piece of the capture is not whole: it is sent again.")
        if not np.isfinite(np.frombuffer(data, "<f4")).all():
            raise BloomError("A piece of the capture contains values that are no samples.")
        if capture.seconds >= MOST_S:
            raise BloomError(f"A capture lasts {MOST_S / 60:.0f} minutes at most: keep it now.")
        path = self._folder(capture_id) / f"{number:06d}.f32"
        with written_whole(path) as beside, beside.open("wb") as out:
            out.write(data)
        # whoever is told that it has arrived forgets it
        kept_on_disk(path)
        return self.find(capture_id)

    def write(self, capture_id: str, path: Path, origin: Origin, markers: list[float]) -> None:
        """Put the pieces together into a WAV file with markers as cue points."""
        capture = self.find(capture_id)
        if not capture.pieces:
            raise BloomError("Nothing was captured: check that the microphone is on.")
        write_sound(
            path, self._blocks(capture), capture.rate, capture.channels, form="wav32f",
            origin=origin,
        )  # fmt: skip
        inside = [round(at * capture.rate) for at in markers if 0 <= at < capture.seconds]
        if inside:
            add_markers(path, inside)

    def _blocks(self, capture: Capture) -> Iterator[NDArray[np.float32]]:
        for path in sorted(self._folder(capture.id).glob("*.f32")):
            yield np.fromfile(path, "<f4").reshape(-1, capture.channels)

    def forget(self, capture_id: str) -> None:
        """Remove a capture that was kept or is not wanted; it is gone at once, its files soon."""
        folder = self._folder(capture_id)
        gone = folder.with_suffix(".gone")
        with suppress(OSError):
            folder.rename(gone)
        shutil.rmtree(gone, ignore_errors=True)

    def _folder(self, capture_id: str) -> Path:
        if len(capture_id) != 32 or not set(capture_id) <= set("0123456789abcdef"):
            raise BloomError("There is no such capture.")
        return self._store.captures / capture_id
