"""Plain instruments that let a wavetable or a spectrum be played while one works on it."""

from __future__ import annotations

from typing import Any

from innerbloom.core.declare.sound import Sound
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.core.instrument.upgrade import VERSION
from innerbloom.core.materials.wavetable.table import CYCLE

_ID = "l1"


def audition_table(name: str, key: str, place: float) -> Instrument:
    """A wave at ``place`` (0..1) in a table; a finger's height and the mod wheel move the place.

    Parameters
    ----------
    name : str
    key : str
        Under which the table was made or put on the shelf.
    place : float
    """
    moved = {"target": _ID, "parameter": "frame", "depth": 100, "rise": 20, "fall": 20}
    layer = {
        "kind": "wave",
        "petal": "iris",
        "sounds": [{"recording": key, "cycle": CYCLE}],
        "settings": {"shape": "table", "frame": 100.0 * place, "attack": 5, "release": 300},
    }
    softer = {"target": _ID, "parameter": "level", "depth": -12, "polarity": "inverted"}
    return _instrument(name, layer, {"slide": moved, "wheel": moved, "velocity": softer})


def audition_spectrum(name: str, sound: Sound) -> Instrument:
    """A spectrum that goes round; the mod wheel slows it, a finger's height moves its formants."""
    layer = {
        "kind": "spectral",
        "petal": "moss",
        "sounds": [sound.model_dump(mode="json")],
        "settings": {"attack": 5, "release": 500, "at_end": "loop", "loop_blend": 30},
    }
    eased = {"target": _ID, "rise": 40, "fall": 40}
    slower = eased | {"parameter": "speed", "depth": -1}
    formants = eased | {"parameter": "formant_shift", "depth": 12}
    return _instrument(name, layer, {"wheel": slower, "slide": formants})


def _instrument(name: str, layer: dict[str, Any], routes: dict[str, dict[str, Any]]) -> Instrument:
    plain = {
        "version": VERSION,
        "name": name,
        "layers": [layer | {"id": _ID, "name": name}],
        "routes": [
            route | {"id": f"r{number}", "source": source}
            for number, (source, route) in enumerate(routes.items(), 1)
        ],
    }
    return parse_instrument(plain)
