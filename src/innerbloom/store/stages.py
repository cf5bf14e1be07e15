"""Stages of recipes on disk: what steps made of a recording, the least used given up first."""

from __future__ import annotations

import json
import os
from dataclasses import replace
from pathlib import Path
from typing import Any

import soundfile as sf

from innerbloom.core.analysis.examine import Examination, examine
from innerbloom.core.prepare.clip import Clip
from innerbloom.core.prepare.recipe import Recipe
from innerbloom.core.prepare.source import write_clip
from innerbloom.core.sound.loop import Loop
from innerbloom.store.files import FileStore

MOST_BYTES = 4 << 30


class StageStore:
    """Stages of one recipe on one recording; what :func:`run_recipe` takes up and keeps.

    Parameters
    ----------
    store : FileStore
    digest : str
        The recording.
    recipe : Recipe
    tuning : float
        Reference pitch in Hz.
    """

    def __init__(self, store: FileStore, digest: str, recipe: Recipe, tuning: float) -> None:
        self._store = store
        self._digest, self._recipe, self._tuning = digest, recipe, tuning

    def key(self, count: int) -> str:
        """Name of the stage after the first ``count`` steps."""
        return self._recipe.upto(count).key(self._digest, self._tuning)

    def find(self, count: int) -> Clip | None:
        """The clip after so many steps, if it was kept and is whole."""
        return load_stage(self._store, self.key(count))

    def keep(self, count: int, clip: Clip) -> None:
        """Write the sound, then what is known of it, so that a stage is whole or absent."""
        key = self.key(count)
        path = self._store.stages / f"{key}.wav"
        write_clip(path, replace(clip, loop=None), form="wav32f")
        about = {
            "root": clip.root, "root_how": clip.root_how, "scaled": clip.scaled,
            "loop": None if clip.loop is None else clip.loop.__dict__,
        }  # fmt: skip
        _write(self._store.stages / f"{key}.json", about)
        _give_up_oldest(self._store, keep=key)


def load_stage(store: FileStore, key: str) -> Clip | None:
    """A stage as a clip; None where it is not at hand."""
    path = store.stages / f"{key}.wav"
    try:
        about = json.loads((store.stages / f"{key}.json").read_text("utf-8"))
        samples, rate = sf.read(path, dtype="float32", always_2d=True)
        os.utime(path)
    except (OSError, ValueError, sf.LibsndfileError):
        return None
    loop = None if about["loop"] is None else Loop(**about["loop"])
    return Clip(
        samples, rate, loop=loop, root=about["root"], root_how=about["root_how"],
        scaled=about["scaled"],
    )  # fmt: skip


def stage_path(store: FileStore, key: str) -> Path:
    """Where the sound of a stage lies."""
    return store.stages / f"{key}.wav"


def summary_of(store: FileStore, key: str) -> dict[str, Any] | None:
    """What was measured of a stage, as :func:`measure_stage` kept it."""
    try:
        found: dict[str, Any] = json.loads((store.stages / f"{key}.about.json").read_text("utf-8"))
    except (OSError, ValueError):
        return None
    return found if stage_path(store, key).is_file() else None


def measure_stage(store: FileStore, key: str, clip: Clip, progress: Any = None) -> dict[str, Any]:
    """Measure a stage, keep its pictures and its summary, and return the summary."""
    present = summary_of(store, key)
    if present is not None:
        return present
    found = examine(stage_path(store, key), progress)
    store.save_pictures(key, found, stage=True)
    summary = {"key": key, "frames": clip.frames, **clip_summary(found, clip)}
    _write(store.stages / f"{key}.about.json", summary)
    return summary


def clip_summary(found: Examination, clip: Clip) -> dict[str, Any]:
    """What was measured of a clip, its root as the recipe has it."""
    found = with_root(found, clip)
    peak = None if found.peak_dbfs is None else round(found.peak_dbfs, 2)
    return {
        **found.summary(), "peak_dbfs": peak, "root_how": clip.root_how,
        "loops": [] if clip.loop is None else [clip.loop.__dict__],
    }  # fmt: skip


def with_root(found: Examination, clip: Clip) -> Examination:
    """An examination with the root that a recipe gave or took away."""
    if clip.root_how == "none":
        return replace(found, root_hz=None, confidence=1.0)
    if clip.root_how == "given" and clip.root is not None:
        return replace(found, root_hz=440.0 * 2.0 ** ((clip.root - 69.0) / 12.0), confidence=1.0)
    return found


def _write(path: Path, about: dict[str, Any]) -> None:
    beside = path.with_name(f".{path.name}.{os.getpid()}")
    beside.write_text(json.dumps(about), "utf-8")
    os.replace(beside, path)


def _give_up_oldest(store: FileStore, keep: str) -> None:
    kept = sorted(store.stages.glob("*.wav"), key=lambda path: path.stat().st_mtime, reverse=True)
    total = 0
    for path in kept:
        total += path.stat().st_size
        if total > MOST_BYTES and path.stem != keep:
            for beside in store.stages.glob(f"{path.stem}.*"):
                beside.unlink(missing_ok=True)
