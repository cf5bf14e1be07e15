"""A first instrument from a recording: one cloud, sounding right at the recording's root."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

from innerbloom.core.declare.parameters import Settings
from innerbloom.core.declare.registry import settings_of
from innerbloom.core.declare.sound import MAX_STRETCH_S, Sound
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.catalogue import LAYER_KINDS, InstrumentSettings
from innerbloom.core.instrument.document import Instrument, Layer, layer_model
from innerbloom.core.instrument.layering import spread_sounds
from innerbloom.core.instrument.modulation import Modulator, Route, modulator_model
from innerbloom.core.instrument.upgrade import touch_routes

TARGET_LUFS = -16.0
"""Loudness that recordings are brought to, so that those of any level start out alike.

A single note then sounds near -24 LUFS, a chord of four near -17."""


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
        {"choose": "chance"} if spread == "chance" else {}
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
    start, length = _stretch(duration_s, at_s)
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


def _stretch(duration_s: float, at_s: float) -> tuple[float, float | None]:
    if duration_s <= MAX_STRETCH_S:
        return 0.0, None
    start = min(max(0.0, at_s - MAX_STRETCH_S / 2), duration_s - MAX_STRETCH_S)
    return round(start, 3), MAX_STRETCH_S
