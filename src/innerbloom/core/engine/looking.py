"""What a layer is doing, as plain numbers for pictures."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from typing_extensions import TypedDict

from innerbloom.core.dsp.state import HELD, MAX_GRAINS
from innerbloom.core.engine.layers import LayerState


class LayerLook(TypedDict):
    """What one layer does now.

    Attributes
    ----------
    heads : list of (position, sound, level)
        Of each sounding voice.
    grains : list of (place, age, pan, level, sound)
        Of clouds only; place and age in 0..1, pan in -1..1.
    """

    heads: list[tuple[float, float, float]]
    grains: list[tuple[float, float, float, float, float]]


def look_at(layer: LayerState, most: int) -> LayerLook:
    """Read-heads of one layer, and at most so many of its grains."""
    voices = layer.layer.voices
    slots = np.flatnonzero(voices["active"])
    sounding = voices[slots]
    levels = sounding["envelope"]["level"] * sounding["fade"]
    heads = np.stack((sounding["position"], sounding["sound"], levels), axis=1)
    shown: LayerLook = {"heads": heads.round(4).tolist(), "grains": []}
    if "grains" in (layer.own.dtype.names or ()):
        shown["grains"] = _grains(layer, slots, levels, most)
    return shown


def _grains(
    layer: LayerState, slots: NDArray[np.intp], levels: NDArray[np.float64], most: int
) -> list[tuple[float, float, float, float, float]]:
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
    rounded: list[tuple[float, float, float, float, float]] = rows.round(4).tolist()
    return rounded


def held_notes(records: NDArray[Any]) -> list[tuple[float, float, float, float]]:
    """Rows of [note id, pitch, slide, pressure] of the notes that keys hold down, of VOICE
    records."""
    held = records[(records["state"] == HELD) & (records["member"] == 0)]
    pitch = held["pitch"] + held["bend"]
    rows = np.stack((held["note"], pitch, held["slide"], held["pressure"]), axis=1)
    shown: list[tuple[float, float, float, float]] = rows.round(3).tolist()
    return shown
