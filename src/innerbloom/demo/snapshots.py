"""A demo instrument with four states and a map between them."""

from __future__ import annotations

from typing import Any

from innerbloom.core.instrument import chains, layering
from innerbloom.core.instrument import snapshooting as shooting
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.core.instrument.owners import owners_of
from innerbloom.demo.layered import Find
from innerbloom.demo.saying import said, with_modulator

_STATES: dict[str, tuple[tuple[float, float], dict[str, dict[str, Any]]]] = {
    "Surface": ((0.15, 0.85), {}),
    "Under the ice": (
        (0.85, 0.85),
        {
            "l1": {"size": 60, "density": 40, "position": 62, "cutoff": 6_500, "level": -3},
            "l2": {"level": -24},
            "e1": {"mix": 55},
        },
    ),
    "In the pipes": (
        (0.15, 0.15),
        {
            "l1": {"level": -20, "cutoff": 900},
            "l2": {"level": -2, "position": 70, "size": 700, "cutoff": 3_200},
            "e1": {"mix": 18},
            "e2": {"mix": 45},
        },
    ),
    "Silt": (
        (0.85, 0.15),
        {
            "l1": {"size": 900, "density": 8, "position": 20, "cutoff": 420},
            "l2": {"cutoff": 260, "level": -6, "pitch_scatter": 40},
            "e1": {"mix": 70},
            "m1": {"rate": 0.02},
        },
    ),
}


def four_depths(find: Find) -> Instrument:
    """Ice over wire, from the surface to the silt: a slow drift wanders between four states."""
    ice, _ = find("Ice settling on the pond")
    wire, wire_loop = find("Bowed fence wire")
    made = parse_instrument({
        "version": 4, "name": "Four depths",
        "notes": "Four states on a map. Drag between them; the undertow wanders.",
        "settings": {"level": 0},
        "layers": [{
            "id": "l1", "name": "Ice settling on the pond", "kind": "cloud", "petal": "lichen",
            "sounds": [ice.model_dump(mode="json")],
            "settings": {"position": 35, "position_scatter": 5, "size": 240, "density": 16,
                         "stereo_scatter": 70, "attack": 700, "release": 3_000,
                         "filter": "12 dB", "cutoff": 2_600, "level": -5},
        }],
    })  # fmt: skip
    made = layering.add_layer(made, "cloud", name="Bowed fence wire", sound=wire, loop=wire_loop,
                              settings={"position": 40, "size": 420, "density": 14, "level": -9,
                                        "attack": 1_400, "release": 3_600, "filter": "24 dB",
                                        "cutoff": 1_200, "stereo_scatter": 40})  # fmt: skip
    made = chains.add_effect(made, "instrument", "room", settings={"mix": 30})
    made = chains.add_effect(made, "instrument", "echo", settings={"mix": 12})
    made = with_modulator(made, "lfo", "Slow swell", rate=0.06, restart="never")
    made = with_modulator(made, "drift", "Undertow", pull=9_000, reach=60, ease=2_500,
                          restart="never")  # fmt: skip
    made = said(
        made,
        "slow swell > ice position 8 %",
        "slow swell > bowed fence wire pan 35 %",
        "undertow > instrument across the map 30 %",
        "undertow > instrument up the map 20 %, upside down",
    )
    for name, (place, state) in _STATES.items():
        made = shooting.take_snapshot(_set(made, state), name)
        made = shooting.put_on_map(made, made.snapshots[-1].id, place)
        made = shooting.recall(made, made.snapshots[0].id).document
    return made


def _set(document: Instrument, state: dict[str, dict[str, Any]]) -> Instrument:
    owners = owners_of(document)
    for id_, values in state.items():
        for parameter, value in values.items():
            setattr(owners[id_].settings, parameter, value)
    return parse_instrument(document.model_dump(mode="json"))
