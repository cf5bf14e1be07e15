"""What a layer is doing, as plain numbers for pictures."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray
from typing_extensions import TypedDict

from innerbloom.core.dsp.state import HELD, MAX_GRAINS
from innerbloom.core.engine.kernels.finish import QUIETEST_DB
from innerbloom.core.engine.layers import LayerState
from innerbloom.core.engine.section import Section

if TYPE_CHECKING:
    from innerbloom.core.engine.ensemble import EnsembleEngine
    from innerbloom.core.engine.player import EnsemblePlayer
from innerbloom.core.instrument.snapshot_map import weights
from innerbloom.core.units import db_to_gain, gain_to_db


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


class MapLook(TypedDict):
    """Where on the map one stands, each way in 0..1, and how much each snapshot there counts.

    ``values`` are what the map moves, as set now, in the order of its keys.
    """

    place: tuple[float, float]
    weights: dict[str, float]
    values: list[float]


def look_at_map(section: Section) -> MapLook | None:
    """Where one stands on the map now; None where there is none."""
    found, place = section.program.snapshots.map, section.standing.place / 100.0
    if found is None:
        return None
    shares = weights(found.places, place).round(4).tolist()
    across, up = place.round(5).tolist()
    values = section.wanted[section.program.snapshots.columns].round(4).tolist()
    return {
        "place": (across, up),
        "weights": dict(zip(found.ids, shares, strict=True)),
        "values": values,
    }


class PlayerLook(TypedDict):
    """What one player of an ensemble does: its load as a share of real time, its highest sample
    since the last look, how many voices it sounds, and which keys it has struck."""

    load: float
    peak: float
    voices: int
    keys: list[float]


def look_at_players(engine: EnsembleEngine) -> dict[str, PlayerLook]:
    """What each player does now."""
    return {one.id: _look_at_player(one) for one in engine.players.values()}


def _look_at_player(player: EnsemblePlayer) -> PlayerLook:
    engine = player.engine
    return {
        "load": round(player.load, 4),
        "peak": round(player.take_peak(), 5),
        "voices": 0 if engine is None else engine.sounding(),
        "keys": [] if engine is None else [key for _, key, _, _ in engine.notes()],
    }


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


class MixLook(TypedDict):
    """What the mixer does now.

    Attributes
    ----------
    streams : dict of id to float
        Peaks of layers and shared buses after their effects, in dBFS.
    effects : dict of id to list
        What each effect shows; see :attr:`.EffectKind.shows`.
    """

    streams: dict[str, float]
    effects: dict[str, list[float]]


def look_at_mix(section: Section) -> MixLook:
    """Levels of all streams, and what effects show."""
    peaks = section.mixer.levels()
    effects = section.mixer.shown()
    for state in section.layers:
        peaks[state.program.id] = _peak_of(state, section.setting(state.program.id, "level"))
        effects.update(state.strip.chain.shown())
    return {
        "streams": {id_: round(gain_to_db(peak, 1e-5), 1) for id_, peak in peaks.items()},
        "effects": {id_: [round(one, 2) for one in shown] for id_, shown in effects.items()},
    }


def _peak_of(state: LayerState, level_db: float) -> float:
    """Peak of a layer's stream in the last span, at its level."""
    peak = state.strip.peak
    if peak < 0.0:
        # no effect stands in its way: its voices, as they were added up
        peak = float(np.abs(state.bus.sum(axis=0)).max()) if state.sounded else 0.0
    return peak * state.strip.presence.value * db_to_gain(max(level_db, QUIETEST_DB))
