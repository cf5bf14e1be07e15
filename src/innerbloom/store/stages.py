"""Stages of recipes on disk: what steps made of a recording, the least used given up first."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any

import numpy as np
import soundfile as sf

from innerbloom.core.analysis.examine import Examination, examine
from innerbloom.core.pitch_names import note_to_hz
from innerbloom.core.prepare.clip import Clip
from innerbloom.core.prepare.recipe import Recipe
from innerbloom.core.prepare.remarks import over_target
from innerbloom.core.prepare.source import write_clip
from innerbloom.core.sound.loop import Loop
from innerbloom.store.files import STAGE_SOUND, FileStore, pictures_of

MOST_BYTES = 4 << 30
_ABOUT, _SUMMARY = "about.json", "summary.json"


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
        """Write the sound, and what is known of it."""
        key = self.key(count)
        about = {
            "root": clip.root, "root_how": clip.root_how, "scaled": clip.scaled,
            "loop": None if clip.loop is None else clip.loop.__dict__,
        }  # fmt: skip
        with self._store.stages.writing(key) as folder:
            write_clip(folder / STAGE_SOUND, replace(clip, loop=None), form="wav32f")
            (folder / _ABOUT).write_text(json.dumps(about), "utf-8")
        self._store.stages.prune(MOST_BYTES, keep=key)


def load_stage(store: FileStore, key: str) -> Clip | None:
    """A stage as a clip; None where it is not at hand."""
    folder = store.stages.find(key, STAGE_SOUND, _ABOUT)
    if folder is None:
        return None
    try:
        about = json.loads((folder / _ABOUT).read_text("utf-8"))
        samples, rate = sf.read(folder / STAGE_SOUND, dtype="float32", always_2d=True)
    except (OSError, ValueError, sf.LibsndfileError):
        return None
    loop = None if about["loop"] is None else Loop(**about["loop"])
    return Clip(
        samples, rate, loop=loop, root=about["root"], root_how=about["root_how"],
        scaled=about["scaled"],
    )  # fmt: skip


def summary_of(store: FileStore, key: str) -> dict[str, Any] | None:
    """What was measured of a stage, as :func:`measure_stage` kept it."""
    folder = store.stages.find(key, STAGE_SOUND, _SUMMARY)
    try:
        return None if folder is None else json.loads((folder / _SUMMARY).read_text("utf-8"))
    except (OSError, ValueError):
        return None


def measure_stage(
    store: FileStore, recipe: Recipe, key: str, clip: Clip, progress: Any = None
) -> dict[str, Any]:
    """Measure what a recipe made, keep its pictures and its summary, and return the summary."""
    present = summary_of(store, key)
    if present is not None:
        return present
    found = examine(store.stages.folder(key) / STAGE_SOUND, progress)
    summary = {"key": key, "frames": clip.frames, **clip_summary(found, clip)}
    summary["over"] = over_target(recipe, summary["peak_dbfs"], found.true_peak_dbtp)
    with store.stages.writing(key) as folder:
        for name, array in pictures_of(found).items():
            np.save(folder / f"{name}.npy", array)
        # the last in the order of names: it says that all is there
        (folder / _SUMMARY).write_text(json.dumps(summary), "utf-8")
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
    if clip.root_how == "found" or clip.root is None:
        return found
    # only a person is wholly sure
    confidence = 1.0 if clip.root_how == "given" else found.confidence
    return replace(found, root_hz=note_to_hz(clip.root), confidence=confidence)
