"""What lies beside a take's sound, or beside one that it was played again to: pictures, features."""

from __future__ import annotations

import json
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

import numpy as np
import soundfile as sf
from numpy.typing import NDArray
from pydantic import BaseModel

from innerbloom.core.analysis.onsets import Strength
from innerbloom.core.analysis.take_features import FeatureCollector, TakeFeatures
from innerbloom.core.atomic import written_whole
from innerbloom.core.deliver.again import Digest
from innerbloom.core.errors import BloomError, Cancelled
from innerbloom.core.performance.take import RATE
from innerbloom.core.prepare.source import FileSource
from innerbloom.core.sound.files import read_blocks
from innerbloom.core.sound.peaks import PeakCollector


class Rendering(BaseModel):
    """A take, or a stretch of it, played again.

    Attributes
    ----------
    words : str
        How.
    start, end : float
        The stretch of the take, in seconds.
    exact : bool or None
        Whether these are the samples that were recorded; None where that was not asked for.
    edits : int
        How many changes of the hands are in it.
    whole : bool
        Whether it is of the whole take with its hands as they stood, otherwise nothing changed.
    """

    id: str
    words: str
    start: float
    end: float
    seconds: float
    exact: bool | None = None
    edits: int = 0
    whole: bool = False


def look_at_sound(
    path: Path, report: Callable[[float], bool], before: float, share: float
) -> tuple[int, str]:
    """Measure a sound and keep its picture and features beside it; gives frames and hash.

    Parameters
    ----------
    before, share : float
        Where in a job's work this lies.
    """
    peaks, features, digest, frames = PeakCollector(), FeatureCollector(RATE), Digest(), 0
    # a take that was cut short at once is empty, which is no fault of its file
    total = int(sf.info(path).frames)
    source = FileSource(path) if total else None
    for block in digest.of(read_blocks(path)) if source else ():
        peaks.feed(block)
        features.feed(block)
        frames += len(block)
        if not report(before + 0.6 * share * frames / total):
            raise Cancelled("Stopped.")
    found = features.features(source.read if source else _nothing, RATE)
    with written_whole(_peaks(path)) as beside:
        np.save(beside, peaks.pairs())
    _keep_features(path, found)
    report(before + share)
    return frames, digest.hexdigest()


def _nothing(first: int, count: int) -> NDArray[np.float32]:
    return np.zeros((0, 2), np.float32)


def _peaks(path: Path) -> Path:
    return path.with_suffix(".peaks.npy")


def _features(path: Path) -> Path:
    return path.with_suffix(".features.npz")


def _keep_features(path: Path, found: TakeFeatures) -> None:
    with written_whole(_features(path)) as beside:
        np.savez(
            beside, bands=found.bands.astype(np.float16), level=found.level_db,
            strength=found.onsets.values, onset_level=found.onsets.level_db,
            hop=np.array(found.onsets.hop_s), loops=found.loops,
        )  # fmt: skip


def features_of(path: Path) -> TakeFeatures | None:
    """What a sound's moments are found in; None where it has not been looked at yet."""
    try:
        with np.load(_features(path)) as kept:
            onsets = Strength(kept["strength"], kept["onset_level"], float(kept["hop"]))
            return TakeFeatures(
                kept["bands"].astype(np.float32), kept["level"], onsets, kept["loops"]
            )
    except (OSError, ValueError, KeyError):
        return None


def peaks_of(path: Path) -> NDArray[Any]:
    """The picture of a sound, mapped rather than read.

    Raises
    ------
    BloomError
        If it has not been looked at yet.
    """
    try:
        found: NDArray[Any] = np.load(_peaks(path), mmap_mode="r")
    except (OSError, ValueError) as error:
        raise BloomError("This take has not been listened to yet: wait a moment.") from error
    return found


def renderings(folder: Path) -> list[Rendering]:
    """What a take was played again to, newest first."""
    found = []
    for path in sorted(folder.glob("*.json"), key=lambda one: one.stat().st_mtime, reverse=True):
        with suppress(OSError, ValueError):
            if path.with_suffix(".wav").is_file():
                found.append(Rendering.model_validate(json.loads(path.read_text("utf-8"))))
    return found


def keep_rendering(folder: Path, rendering: Rendering) -> None:
    """Say what the sound ``<id>.wav`` in the folder is."""
    with written_whole(folder / f"{rendering.id}.json") as beside:
        beside.write_text(rendering.model_dump_json(), "utf-8")


def remove_rendering(folder: Path, rendering_id: str) -> None:
    """Take one off the disk."""
    for path in folder.glob(f"{rendering_id}.*"):
        path.unlink(missing_ok=True)
