"""What a layer is doing, as plain numbers for pictures."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.dsp.state import HELD, MAX_GRAINS
from innerbloom.core.engine.layers import LayerState


def look_at(layer: LayerState, most: int) -> dict[str, Any]:
    """Read-heads and grains of one layer.

    Returns
    -------
    dict
        ``heads``: rows of [position, sound, level] of each sounding voice; ``grains`` (clouds
        only): rows of [place, age, pan, level, sound], place and age in 0..1, pan in -1..1.
    """
    voices = layer.layer.voices
    slots = np.flatnonzero(voices["active"])
    sounding = voices[slots]
    levels = sounding["envelope"]["level"] * sounding["fade"]
    heads = np.stack((sounding["position"], sounding["sound"], levels), axis=1)
    shown: dict[str, Any] = {"heads": heads.round(4).tolist(), "grains": []}
    if "grains" in (layer.own.dtype.names or ()):
        shown["grains"] = _grains(layer, slots, levels, most)
    return shown


def _grains(
    layer: LayerState, slots: NDArray[np.intp], levels: NDArray[np.float64], most: int
) -> list[list[float]]:
    clouds = layer.own[slots]
    present = np.arange(MAX_GRAINS) < clouds["count"][:, None]
    grains = clouds["grains"][present][:most]
    loudness = np.repeat(levels, clouds["count"])[:most]
    seconds = layer.program.played.sounds["seconds"][grains["sound"]]
    both = np.maximum(grains["left"] + grains["right"], 1e-12)
    rows = np.stack(
        (
            grains["place"] / seconds,
            grains["age"] / np.maximum(grains["length"], 1.0),
            (grains["right"] - grains["left"]) / both,
            loudness,
            grains["sound"],
        ),
        axis=1,
    )
    rounded: list[list[float]] = rows.round(4).tolist()
    return rounded


def held_notes(records: NDArray[Any]) -> list[list[float]]:
    """Rows of [note id, pitch, slide, pressure] of the notes that keys hold down, of VOICE
    records."""
    held = records[(records["state"] == HELD) & (records["member"] == 0)]
    pitch = held["pitch"] + held["bend"]
    rows = np.stack((held["note"], pitch, held["slide"], held["pressure"]), axis=1)
    shown: list[list[float]] = rows.round(3).tolist()
    return shown
