"""Materials: what a recipe makes of a recording, or of a stretch of it, as a file among the recordings."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from innerbloom.core.analysis.examine import examine
from innerbloom.core.digest import file_digest
from innerbloom.core.pitch_names import hz_to_note
from innerbloom.core.prepare.recipe import parse_recipe, piece_recipe
from innerbloom.core.prepare.run import run_recipe
from innerbloom.core.prepare.source import FileSource, write_clip
from innerbloom.core.sound.metadata import Origin
from innerbloom.store.files import FileStore
from innerbloom.store.stages import StageStore, clip_summary, with_root

Plain = dict[str, Any]


def make_material(
    store: FileStore, asked: Plain, piece: Plain, report: Callable[[float], bool]
) -> Plain:
    """Make one material and keep its file; gives what the shelf has to know of it.

    Parameters
    ----------
    asked : dict
        ``digest``, ``steps``, ``tuning`` (Hz), ``origin`` and ``place``.
    piece : dict
        ``name`` and, for a stretch of the recording, ``start`` and ``end`` in seconds.
    report : callable
        Is told the share done, 0..1; gives False to stop.

    Raises
    ------
    BloomError
        If the steps cannot be done.
    Cancelled
        If it was told to stop.
    """
    recipe, tuning = parse_recipe({"steps": asked["steps"]}), asked["tuning"]
    stages = None
    if piece.get("end") is not None:
        recipe = piece_recipe(recipe, piece["start"], piece["end"])
    else:
        stages = StageStore(store, asked["digest"], recipe, tuning)
    source = FileSource(store.readable(asked["digest"]))
    clip = run_recipe(
        recipe, source, tuning=tuning, stages=stages, progress=lambda share: report(0.8 * share)
    )
    path = store.new_incoming("material.wav")
    try:
        write_clip(path, clip, form="wav32f")
        found = with_root(examine(path), clip)
        root = None if found.root_hz is None else hz_to_note(found.root_hz)
        origin = Origin(title=piece["name"], **asked["origin"])
        write_clip(path, clip, form="wav32f", origin=origin, root=root)
        report(0.9)
        digest = file_digest(path)
        store.save_pictures(digest, found)
        store.adopt(path, digest, ".wav")
    finally:
        path.unlink(missing_ok=True)
    return {
        "digest": digest, "name": piece["name"], "origin": origin.__dict__,
        "place": asked.get("place", ""),
        "measured": clip_summary(found, clip), "steps": recipe.plain()["steps"],
    }  # fmt: skip
