"""Documents of earlier versions, brought up to the present one."""

from __future__ import annotations

from typing import Any

VERSION = 4
"""Of documents as they are now."""

_TOUCH = ("velocity_level", "pressure_level", "slide_position")


def upgraded(data: Any) -> Any:
    """A document as of now; whatever is not a document of an earlier version is left alone.

    Version 1 had one sound a layer, and touch as three settings; version 2 lists of sounds,
    and touch as routes, which named a layer; in version 3 routes named whatever they move. Now
    effects stand in chains: the sound that coloured a layer is one of its effects.
    """
    if not isinstance(data, dict):
        return data
    return _from_third(_from_second(_from_first(data)))


def _from_first(data: dict[str, Any]) -> dict[str, Any]:
    if data.get("version", 1) != 1 or "routes" in data:
        return data
    layers = data.get("layers")
    if not isinstance(layers, list) or not all(isinstance(one, dict) for one in layers):
        return data
    if data.get("version") is None and not any("sound" in layer for layer in layers):
        return data
    routes: list[dict[str, Any]] = []
    changed = [_layer(layer, routes) for layer in layers]
    return {**data, "version": 3, "layers": changed, "routes": routes}


def _from_second(data: dict[str, Any]) -> dict[str, Any]:
    routes = data.get("routes", [])
    if data.get("version") != 2 or not isinstance(routes, list):
        return data
    changed = [
        {("target" if key == "layer" else key): value for key, value in route.items()}
        if isinstance(route, dict)
        else route
        for route in routes
    ]
    return {**data, "version": 3, "routes": changed}


_COLOURING = {
    "colour_amount": "amount",
    "colour_detail": "detail",
    "colour_from": "outline_of",
    "colour_place": "place",
}
"""Settings that every layer had for its colouring, and what they are called as an effect's."""


def _from_third(data: dict[str, Any]) -> dict[str, Any]:
    layers = data.get("layers")
    if data.get("version") != 3 or not isinstance(layers, list):
        return data
    if not all(isinstance(one, dict) for one in layers):
        return data
    coloured = {
        str(layer.get("id")): f"c{layer.get('id')}"[:16] for layer in layers if layer.get("colour")
    }
    routes = data.get("routes", [])
    if isinstance(routes, list):
        moved = [_moving_effect(route, coloured) for route in routes]
        routes = [route for route in moved if route is not None]
    changed = [_with_effects(layer, coloured) for layer in layers]
    return {**data, "version": 4, "layers": changed, "routes": routes}


def _with_effects(layer: dict[str, Any], coloured: dict[str, str]) -> dict[str, Any]:
    """A layer whose colouring, if it has one, is an effect."""
    changed = {key: value for key, value in layer.items() if key != "colour"}
    settings = layer.get("settings")
    colouring = {}
    if isinstance(settings, dict):
        changed["settings"] = {k: v for k, v in settings.items() if k not in _COLOURING}
        colouring = {_COLOURING[k]: v for k, v in settings.items() if k in _COLOURING}
    effect = coloured.get(str(layer.get("id")))
    if effect is not None:
        changed["effects"] = [
            {"id": effect, "kind": "colour", "sound": layer["colour"], "settings": colouring}
        ]
    return changed


def _moving_effect(route: Any, coloured: dict[str, str]) -> Any:
    """A route as it is now; None for one that moved a colouring which was not there."""
    if not isinstance(route, dict) or route.get("parameter") not in _COLOURING:
        return route
    effect = coloured.get(str(route.get("target")))
    if effect is None:
        return None
    return {**route, "target": effect, "parameter": _COLOURING[route["parameter"]]}


def _layer(layer: dict[str, Any], routes: list[dict[str, Any]]) -> dict[str, Any]:
    changed = {key: value for key, value in layer.items() if key != "sound"}
    if "sound" in layer:
        changed["sounds"] = [layer["sound"]]
    settings = layer.get("settings")
    if not isinstance(settings, dict):
        return changed
    touch = {key: settings.get(key) for key in _TOUCH}
    changed["settings"] = {key: value for key, value in settings.items() if key not in _TOUCH}
    if settings.get("drift"):
        changed["settings"].setdefault("motion", "speed")
    for made in touch_routes(
        str(layer.get("id", "")),
        velocity_db=_number(touch["velocity_level"], 60.0) / 100.0 * 20.0,
        pressure_db=_number(touch["pressure_level"], 6.0),
        slide=_number(touch["slide_position"], 15.0),
    ):
        routes.append({**made, "id": f"r{len(routes) + 1}"})
    return changed


def _number(value: Any, default: float) -> float:
    return float(value) if isinstance(value, int | float) else default


def touch_routes(
    layer: str, *, velocity_db: float = 12.0, pressure_db: float = 6.0, slide: float | None = 15.0
) -> list[dict[str, Any]]:
    """How a layer answers to touch at first, as routes without ids.

    Parameters
    ----------
    velocity_db : float
        How much quieter the softest key is, in dB.
    pressure_db : float
        Gain at full pressure, in dB.
    slide : float or None
        How far full slide moves the position, in %; None for a layer without a position.
    """
    made: list[dict[str, Any]] = [
        {"source": "velocity", "parameter": "level", "depth": -velocity_db, "polarity": "inverted"},
        {"source": "pressure", "parameter": "level", "depth": pressure_db, "rise": 20, "fall": 60},
    ]
    if slide is not None:
        made.append(
            {"source": "slide", "parameter": "position", "depth": slide, "rise": 20, "fall": 20}
        )
    return [{"target": layer, **one} for one in made if one["depth"]]
