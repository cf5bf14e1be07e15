"""A first instrument from a recording: one cloud, sounding right at the recording's root."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any, Literal

from innerbloom.core.analysis.opening import Character, Opening
from innerbloom.core.declare.parameters import Settings
from innerbloom.core.declare.registry import settings_of
from innerbloom.core.declare.sound import Sound, stretch_around
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.catalogue import LAYER_KINDS, InstrumentSettings
from innerbloom.core.instrument.document import (
    Instrument,
    Layer,
    layer_model,
    parse_instrument,
)
from innerbloom.core.instrument.layering import spread_sounds
from innerbloom.core.instrument.mixing import effect_model
from innerbloom.core.instrument.modulation import Modulator, Route, modulator_model
from innerbloom.core.instrument.upgrade import touch_routes

TARGET_LUFS = -16.0
"""Loudness that recordings are brought to, so that those of any level start out alike.

A single note then sounds near -24 LUFS, a chord of four near -17."""

_EVENED_LUFS = -11.9
"""The same for a cloud that is evened out, spread and filtered, which costs some of its level."""

MOST_GAIN_DB = 60.0

GRAINS: dict[Character, dict[str, float]] = {
    "steady": {"size": 260, "density": 10, "regularity": 85, "pitch_scatter": 1.5},
    "changing": {"size": 180, "density": 26, "regularity": 50, "pitch_scatter": 3},
    "noisy": {"size": 240, "density": 15, "regularity": 80, "pitch_scatter": 6},
    "striking": {"size": 120, "density": 42, "regularity": 50, "pitch_scatter": 3},
}
"""What grains are like at first, by what the recording is like where they come from."""

_SPREAD = {"alignment": 100, "stereo_scatter": 100, "level_scatter": 1, "evenness": 100}
_SHORTEST_MS = 60.0
_SCATTERED = 0.12
"""Share of the stretch over which places are scattered, either way."""

_BREATH_OCTAVES, _LEAST_OCTAVES = 1.3, 0.3
"""How far the filter's corner wanders at most, either way, down to where it takes 2 dB; and at least."""

_HIGHEST_CORNER_HZ = 20_000.0
_BREATH = "m2"

WIDEST_DB = -4.0
"""Sides against the middle above which a grown cloud is narrowed: more is lost in one channel."""

_NARROWED_DB = -6.0
_LEAST_WIDTH = 25.0


def grow_cloud(
    name: str,
    *,
    duration_s: float,
    root: float | None,
    loudness_lufs: float | None,
    recording: str | None = None,
    path: str | None = None,
    at_s: float = 0.0,
    tuning: float = 440.0,
) -> Instrument:
    """An instrument with one cloud layer on a recording.

    Parameters
    ----------
    name : str
        Name of the recording; the instrument and layer take it over.
    duration_s : float
        Length of the recording in seconds.
    root : float or None
        Root as a MIDI note number with a fraction, None for no clear pitch.
    loudness_lufs : float or None
        Integrated loudness; None or silence leaves the level as it is.
    at_s : float
        Moment in the recording, in seconds, at which the cloud starts out.
    """
    sound = sound_from(
        duration_s=duration_s,
        root=root,
        loudness_lufs=loudness_lufs,
        recording=recording,
        path=path,
        at_s=at_s,
        name=name,
    )
    moved = {}
    if at_s > 0:
        span = sound.length if sound.length is not None else duration_s
        moved["position"] = round(100.0 * min(1.0, (at_s - sound.start) / span), 2)
    settings = settings_of(LAYER_KINDS["cloud"]).model_validate(moved)
    layer = _layer("cloud", name, [sound], settings)
    return _instrument(name, layer, touch_routes("l1"), tuning)


def bring_to_life(document: Instrument, opening: Opening, duration_s: float) -> Instrument:
    """A grown cloud that starts out where its recording is best, and moves slowly by itself.

    Parameters
    ----------
    document : Instrument
        As of :func:`grow_cloud`.
    opening : Opening
        Within the stretch that its sound loads.
    duration_s : float
        Of the whole recording, in seconds.
    """
    plain = document.model_dump(mode="json")
    layer = plain["layers"][0]
    sound = document.layers[0].sounds[0]
    length_s = sound.length or duration_s
    layer["sounds"][0] = evened(sound, opening).model_dump(mode="json")
    corner = min(_HIGHEST_CORNER_HZ, 2.0**_BREATH_OCTAVES * opening.bright_hz)
    breath = max(_LEAST_OCTAVES, math.log2(corner / opening.bright_hz))
    layer["settings"] |= {
        **cloud_settings(opening, length_s),
        "filter": "12 dB",
        "cutoff": round(corner),
    }
    share = 100.0 / length_s
    wander = round((0.5 - _SCATTERED) * opening.span_s * share, 3)
    moves = (("m1", "position", wander), (_BREATH, "cutoff", round(breath, 3)))
    for modulator, parameter, depth in moves:
        route = {"source": f"m:{modulator}", "target": layer["id"], "parameter": parameter}
        number = len(plain["routes"]) + 1
        plain["routes"].append({**route, "depth": depth, "id": f"r{number}"})
    plain["modulators"] = [
        _drift("m1", "Wander", pull=6_000, reach=41),
        _drift(_BREATH, "Breath", pull=8_000, reach=45),
    ]
    return parse_instrument(plain)


def with_breath_held(document: Instrument, at: float) -> Instrument:
    """A cloud brought to life whose filter stands still, at -1..1 of how far its breath moves it."""
    made = document.model_copy(deep=True)
    found = (one for one in made.routes if one.source == f"m:{_BREATH}")
    route = next(one for one in found if one.parameter == "cutoff")
    made.routes.remove(route)
    settings: Any = made.layers[0].settings
    settings.cutoff = min(_HIGHEST_CORNER_HZ, settings.cutoff * 2.0 ** (at * route.depth))
    return made


def with_breath_evened(document: Instrument, depth_db: float) -> Instrument:
    """The same whose breath moves its level against its filter: by so much down where that is open."""
    made = document.model_copy(deep=True)
    depth = round(-depth_db, 2)
    if depth != 0.0:
        route = {"source": f"m:{_BREATH}", "target": made.layers[0].id, "parameter": "level"}
        number = len(made.routes) + 1
        made.routes.append(Route.model_validate({**route, "depth": depth, "id": f"r{number}"}))
    return made


def narrowed(document: Instrument, side_db: float) -> Instrument:
    """The same with an effect that brings its sides, heard at a level against the middle, down."""
    made = document.model_copy(deep=True)
    width = max(_LEAST_WIDTH, 100.0 * 10.0 ** ((_NARROWED_DB - side_db) / 20.0))
    settings = {"width": round(width)}
    told = {"id": "e1", "kind": "stereo", "settings": settings}
    made.layers[0].effects.append(effect_model("stereo").model_validate(told))
    return made


def cloud_settings(opening: Opening, length_s: float) -> dict[str, float]:
    """Settings of a cloud that starts out in a stretch, whatever else its layer is set to.

    Parameters
    ----------
    length_s : float
        Of the sound that the layer loads, in seconds.
    """
    share = 100.0 / length_s
    grains = GRAINS[opening.character]
    # a short sound leaves room for several places only to shorter grains
    size = max(_SHORTEST_MS, min(grains["size"], 600.0 * opening.span_s))
    return {
        **grains,
        "size": round(size),
        "density": round(grains["density"] * grains["size"] / size, 1),
        **_SPREAD,
        "position": round(min(100.0, opening.middle_s * share), 2),
        "position_scatter": round(min(50.0, _SCATTERED * opening.span_s * share), 3),
    }


def evened(sound: Sound, opening: Opening) -> Sound:
    """The sound at the level that lets a cloud on it be as loud as any other."""
    if opening.lufs is None:
        return sound
    gain = min(MOST_GAIN_DB, max(-MOST_GAIN_DB, _EVENED_LUFS - opening.lufs))
    return sound.model_copy(update={"gain_db": round(gain, 2)})


def _drift(number: str, name: str, **settings: float) -> dict[str, Any]:
    return {"id": number, "name": name, "kind": "drift", "settings": {**settings, "ease": 1_200}}


Spread = Literal["key", "velocity", "chance", "control"]
"""How a note picks among the sounds of an instrument that is grown of several."""


def grow_of_many(
    name: str, sounds: Sequence[Sound], spread: Spread, *, tuning: float = 440.0
) -> Instrument:
    """An instrument with one cloud layer that chooses among several sounds.

    Parameters
    ----------
    sounds : sequence of Sound
        At most 64. Along the keys they lie by their roots where all have one; otherwise in the
        order in which they come.
    spread : {"key", "velocity", "chance", "control"}
        Even ranges of keys or of velocities, one at random and never the same twice, or by a
        control that the mod wheel moves.

    Raises
    ------
    DocumentError
        If there are more sounds than a layer holds.
    """
    most = LAYER_KINDS["cloud"].most_sounds
    if len(sounds) > most:
        raise DocumentError(f"An instrument chooses among {most} sounds: pick fewer.")
    chosen = list(sounds)
    if spread == "key" and all(one.root is not None for one in chosen):
        chosen.sort(key=lambda one: one.root or 0.0)
    settings = settings_of(LAYER_KINDS["cloud"]).model_validate(
        {
            "alignment": 100,
            "evenness": 100,
            "choose": "chance" if spread == "chance" else "range",
        }
    )
    layer = _layer("cloud", name, chosen, settings)
    routes = touch_routes("l1")
    if spread == "control":
        routes.append({"source": "wheel", "target": "l1", "parameter": "choice", "depth": 100.0})
    made = _instrument(name, layer, routes, tuning)
    return made if spread == "chance" else spread_sounds(made, 0, spread)


def grow_wave(name: str, sound: Sound, *, tuning: float = 440.0) -> Instrument:
    """An instrument with one wave layer on a wavetable, swept slowly there and back.

    Parameters
    ----------
    sound : Sound
        The table.
    """
    settings = settings_of(LAYER_KINDS["wave"]).model_validate(
        {"shape": "table", "frame": 50, "unison": 3, "attack": 400, "release": 1_200, "level": -6}
    )
    layer = _layer("wave", name, [sound], settings)
    moves = {"target": "l1", "parameter": "frame"}
    routes = [
        *touch_routes("l1", slide=None),
        {**moves, "source": "m:m1", "depth": 30.0},
        {**moves, "source": "slide", "depth": 50.0, "rise": 20, "fall": 20},
    ]
    sweep = modulator_model("lfo").model_validate(
        {
            "id": "m1",
            "name": "Sweep",
            "settings": {"rate": 0.08, "wave": "triangle", "restart": "never"},
        }
    )
    return _instrument(name, layer, routes, tuning, [sweep])


def grow_spectral(name: str, sound: Sound, *, tuning: float = 440.0) -> Instrument:
    """An instrument with one spectral layer, which goes round in its sound without a seam.

    The mod wheel slows it down until it stands still, a finger's height moves its formants.
    """
    settings = settings_of(LAYER_KINDS["spectral"]).model_validate(
        {"attack": 60, "release": 1_200, "at_end": "loop", "loop_start": 10, "loop_blend": 30}
    )
    layer = _layer("spectral", name, [sound], settings)
    eased = {"target": "l1", "rise": 40, "fall": 40}
    routes = [
        *touch_routes("l1", slide=None),
        {**eased, "source": "wheel", "parameter": "speed", "depth": -1.0},
        {**eased, "source": "slide", "parameter": "formant_shift", "depth": 12.0},
    ]
    return _instrument(name, layer, routes, tuning)


def _layer(kind: str, name: str, sounds: list[Sound], settings: Settings) -> Layer:
    given = {"id": "l1", "name": name[:120], "sounds": sounds, "settings": settings}
    return layer_model(kind).model_validate(given)


def _instrument(
    name: str,
    layer: Layer,
    routes: list[dict[str, Any]],
    tuning: float,
    modulators: Sequence[Modulator] = (),
) -> Instrument:
    return Instrument(
        name=name[:120],
        settings=InstrumentSettings.model_validate({"tuning": tuning}),
        layers=[layer],
        modulators=list(modulators),
        routes=[
            Route.model_validate({**route, "id": f"r{number}"})
            for number, route in enumerate(routes, 1)
        ],
    )


def sound_from(
    *,
    duration_s: float,
    root: float | None,
    loudness_lufs: float | None,
    recording: str | None = None,
    path: str | None = None,
    at_s: float = 0.0,
    name: str = "",
) -> Sound:
    """A sound for a layer, brought to :data:`TARGET_LUFS`; parameters as of :func:`grow_cloud`."""
    start, length = stretch_around(duration_s, at_s)
    gain = 0.0 if loudness_lufs is None else min(24.0, max(-24.0, TARGET_LUFS - loudness_lufs))
    return Sound(
        recording=recording,
        path=path,
        start=start,
        length=length,
        root=root,
        gain_db=round(gain, 2),
        name=name[:120],
    )
