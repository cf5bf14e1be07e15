"""Building an instrument out of layers: adding, copying, swapping sounds, spreading them.

Each function takes a document and gives a changed copy; none alters what it was given.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from innerbloom.core.declare.sound import Sound
from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.catalogue import LAYER_KINDS
from innerbloom.core.instrument.document import (
    MAX_LAYERS,
    PETALS,
    EntrySettings,
    Instrument,
    Layer,
    parse_instrument,
)
from innerbloom.core.instrument.owners import free_id
from innerbloom.core.instrument.ranges import spread_evenly
from innerbloom.core.instrument.upgrade import touch_routes
from innerbloom.core.instrument.wiring import without
from innerbloom.core.names import numbered

Plain = dict[str, Any]
_CROSSFADE_KEYS = 8


@dataclass(frozen=True)
class FoundLoop:
    """A loop that comes with a sound, or was found in it.

    Attributes
    ----------
    start_share : float
        Of the sound, 0..1.
    length_ms : float
    crossfade : float
        Percent of the loop; none where the loop was written into the file as it closes.
    """

    start_share: float
    length_ms: float
    direction: str = "forward"
    stay: bool = True
    crossfade: float = 0.0
    curve: str = "equal power"


CLICK: Plain = {
    "attack": 0.5,
    "decay": 28,
    "sustain": 0,
    "release": 20,
    "decay_curve": 60,
    "tone_attack": 0.5,
    "tone_decay": 18,
    "tone_sustain": 0,
    "octave": 2,
    "level": -6,
}
"""A very short pitched wave that adds attack; a route lets its pitch fall by two octaves."""


def add_layer(
    document: Instrument,
    kind: str,
    *,
    name: str,
    sound: Sound | None = None,
    loop: FoundLoop | None = None,
    settings: Plain | None = None,
) -> Instrument:
    """A layer more, at the bottom, answering to touch like the others.

    Raises
    ------
    DocumentError
        If there are as many layers as may be, or the kind needs a sound.
    """
    if kind not in LAYER_KINDS:
        raise DocumentError(f"A layer is one of {', '.join(LAYER_KINDS)}, not '{kind}'.")
    plain = document.model_dump(mode="json")
    layer: Plain = {
        "id": free_id(plain, "l"),
        "name": numbered(name[:120], _names(document)),
        "petal": _free_petal(document),
        "kind": kind,
        "sounds": [] if sound is None else [sound.model_dump(mode="json")],
        "settings": {**_loop_settings(kind, loop), **(settings or {})},
    }
    if LAYER_KINDS[kind].needs_sound and sound is None:
        raise DocumentError(f"A {kind} layer needs a sound: choose one from the shelf.")
    _insert(plain, len(plain["layers"]), layer)
    for route in touch_routes(layer["id"], slide=LAYER_KINDS[kind].slide):
        _add_route(plain, route)
    return parse_instrument(plain)


def _names(document: Instrument) -> list[str]:
    return [layer.name for layer in document.layers]


def add_click(document: Instrument) -> Instrument:
    """A click: a very short wave whose pitch falls."""
    made = add_layer(document, "wave", name="Click", settings=CLICK)
    plain = made.model_dump(mode="json")
    _add_route(
        plain,
        {
            "source": "tone_envelope",
            "target": made.layers[-1].id,
            "parameter": "pitch",
            "depth": 24,
        },
    )
    return parse_instrument(plain)


def add_tuned_wave(document: Instrument, index: int, shape: str, octave: int) -> Instrument:
    """A plain wave that sounds the root of another layer's recording, so many octaves away.

    A recording with a root sounds the key that is struck, or C4 where it does not follow the
    keys; so does a wave, which therefore takes over the layer's transposition and no more.

    Raises
    ------
    DocumentError
        If the layer has no recording with a root.
    """
    layer = _layer(document, index)
    root = layer.sounds[0].root if layer.sounds else None
    if root is None:
        raise DocumentError(
            f"'{layer.name}' has no clear pitch: set its root first, then tune a wave to it."
        )
    s: Any = layer.settings
    pitch = float(s.pitch) + 0.01 * float(s.fine) + 12.0 * (int(s.octave) + octave)
    settings = {"shape": shape, "tracking": s.tracking, "level": -9, **_tuning(pitch)}
    return add_layer(
        document, "wave", name=f"{shape.capitalize()} under {layer.name}", settings=settings
    )


def _tuning(semitones: float) -> Plain:
    octave = max(-5, min(5, math.floor(semitones / 12 + 0.5)))
    rest = semitones - 12 * octave
    whole = math.floor(rest + 0.5)
    return {"octave": octave, "pitch": whole, "fine": round(100 * (rest - whole), 4)}


def duplicate_layer(document: Instrument, index: int) -> Instrument:
    """The same layer again with every setting and route, below it."""
    layer = _layer(document, index)
    plain = document.model_dump(mode="json")
    again = layer.model_dump(mode="json")
    again |= {"petal": _free_petal(document), "name": numbered(layer.name, _names(document))}
    _insert(plain, index + 1, again)
    renamed = _renamed(plain, again)
    for route in document.routes:
        if route.target in renamed:
            _add_route(plain, {**route.model_dump(mode="json"), "target": renamed[route.target]})
    return parse_instrument(plain)


def _renamed(plain: Plain, layer: Plain) -> dict[str, str]:
    """Give a copied layer, its sends and its effects ids of their own; what each is called now."""
    renamed = {}
    for one, prefix in (
        (layer, "l"),
        *((s, "s") for s in layer["sends"]),
        *((e, "e") for e in layer["effects"]),
    ):
        one["id"], old = free_id(plain, prefix), one["id"]
        renamed[old] = one["id"]
    return renamed


def remove_layer(document: Instrument, index: int) -> Instrument:
    """Without a layer and the routes to it; the last one stays."""
    return without(document, {_layer(document, index).id})


def move_layer(document: Instrument, index: int, to: int) -> Instrument:
    """A layer at another place."""
    _layer(document, index)
    _layer(document, to)
    plain = document.model_dump(mode="json")
    plain["layers"].insert(to, plain["layers"].pop(index))
    return parse_instrument(plain)


def swap_sound(
    document: Instrument, index: int, which: int, sound: Sound, loop: FoundLoop | None = None
) -> Instrument:
    """Another sound in place of one of a layer's, every setting kept.

    A layer named after its only sound takes over the new one's name; a loop that comes with
    the new sound is taken over too.
    """
    layer = _layer(document, index)
    plain = document.model_dump(mode="json")
    changed = plain["layers"][index]
    only = len(layer.sounds) <= 1
    if only and (not layer.sounds or layer.sounds[0].name in ("", layer.name)):
        changed["name"] = sound.name or layer.name
    changed["sounds"][which : which + 1] = [sound.model_dump(mode="json")]
    if only:
        changed["settings"] |= _loop_settings(layer.kind, loop)
    # a layer that is given a sound it can do without is meant to use it
    changed["settings"] |= dict(LAYER_KINDS[layer.kind].with_sound)
    return parse_instrument(plain)


def swap_all(
    document: Instrument, stands_for: Callable[[str, Sound, float], tuple[Sound, FoundLoop | None]]
) -> Instrument:
    """Other sounds in place of all that an instrument's layers have, every setting kept.

    Parameters
    ----------
    stands_for : callable
        ``stands_for(kind, sound, loop_ms)`` gives what stands for a sound of a layer of that
        kind, and the loop that stands for one of that length.
    """
    plain = document.model_dump(mode="json")
    for layer, changed in zip(document.layers, plain["layers"], strict=True):
        loop_ms = float(getattr(layer.settings, "loop_length", 0.0))
        found = [stands_for(layer.kind, sound, loop_ms) for sound in layer.sounds]
        if not found:
            continue
        if len(found) == 1 and layer.sounds[0].name in ("", layer.name):
            changed["name"] = found[0][0].name or layer.name
        changed["sounds"] = [sound.model_dump(mode="json") for sound, _ in found]
        changed["settings"] |= _loop_settings(layer.kind, found[0][1])
    return parse_instrument(plain)


def add_sounds(document: Instrument, index: int, sounds: Sequence[Sound]) -> Instrument:
    """More sounds in a layer."""
    layer = _layer(document, index)
    most = LAYER_KINDS[layer.kind].most_sounds
    if len(layer.sounds) + len(sounds) > most:
        raise DocumentError(f"'{layer.name}' holds {most} sounds at most: pick fewer.")
    plain = document.model_dump(mode="json")
    plain["layers"][index]["sounds"] += [one.model_dump(mode="json") for one in sounds]
    return parse_instrument(plain)


def remove_sound(document: Instrument, index: int, which: int) -> Instrument:
    """A layer without one of its sounds; the last one stays."""
    layer = _layer(document, index)
    if len(layer.sounds) < 2:
        raise DocumentError(f"'{layer.name}' keeps its last sound: swap it for another.")
    plain = document.model_dump(mode="json")
    for part in ("sounds", "picks"):
        del plain["layers"][index][part][which : which + 1]
    return parse_instrument(plain)


def move_sound(document: Instrument, index: int, which: int, to: int) -> Instrument:
    """One of a layer's sounds at another place among them."""
    layer = _layer(document, index)
    if not (0 <= which < len(layer.sounds) and 0 <= to < len(layer.sounds)):
        raise DocumentError(f"'{layer.name}' has {len(layer.sounds)} sounds.")
    plain = document.model_dump(mode="json")
    changed = plain["layers"][index]
    changed["sounds"].insert(to, changed["sounds"].pop(which))
    if changed["picks"]:
        picks = [*changed["picks"], *({} for _ in range(len(layer.sounds) - len(layer.picks)))]
        picks.insert(to, picks.pop(which))
        changed["picks"] = picks
    return parse_instrument(plain)


def spread_sounds(
    document: Instrument, index: int, by: Literal["key", "velocity", "control"]
) -> Instrument:
    """A layer's sounds in even ranges of keys or velocities, or along the control."""
    layer = _layer(document, index)
    plain = document.model_dump(mode="json")
    changed = plain["layers"][index]
    count = len(layer.sounds)
    picks = [EntrySettings().model_dump() for _ in range(count)]
    for pick, old in zip(picks, layer.picks, strict=False):
        pick["weight"] = old.weight  # type: ignore[attr-defined]
    if by == "control":
        changed["settings"]["choose"] = "control"
    else:
        changed["settings"]["choose"] = "range"
        s: Any = layer.settings
        room = 64 // max(count, 1)
        overlap = min(_CROSSFADE_KEYS, room) // 2 if s.borders == "crossfaded" else 0
        for pick, (low, high) in zip(picks, spread_evenly(count, overlap), strict=True):
            pick[f"{by}_low"], pick[f"{by}_high"] = low, high
    changed["picks"] = picks
    return parse_instrument(plain)


# -- inside --------------------------------------------------------------------


def _layer(document: Instrument, index: int) -> Layer:
    if not 0 <= index < len(document.layers):
        raise DocumentError(f"There is no layer {index + 1}.")
    return document.layers[index]


def _insert(plain: Plain, at: int, layer: Plain) -> None:
    if len(plain["layers"]) >= MAX_LAYERS:
        raise DocumentError(f"An instrument has {MAX_LAYERS} layers at most: remove one first.")
    plain["layers"].insert(at, layer)


def _add_route(plain: Plain, route: Plain) -> None:
    plain["routes"].append({**route, "id": free_id(plain, "r")})


def _free_petal(document: Instrument) -> str:
    taken = [layer.petal for layer in document.layers]
    return min(PETALS, key=lambda petal: (taken.count(petal), PETALS.index(petal)))


def _loop_settings(kind: str, loop: FoundLoop | None) -> Plain:
    if loop is None or not LAYER_KINDS[kind].loops:
        return {}
    return {
        "loop": loop.direction,
        "loop_start": 100.0 * loop.start_share,
        "loop_length": loop.length_ms,
        "crossfade": loop.crossfade,
        "curve": loop.curve,
        "at_release": "stay" if loop.stay else "play on",
    }
