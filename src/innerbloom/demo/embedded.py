"""Demo instruments that live from their effects: a place made of recordings, and a bed that ducks."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from innerbloom.core.instrument import buses, chains, layering
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.demo.layered import Find
from innerbloom.demo.saying import said, with_modulator

Changes = dict[str, dict[str, Any]]


def _started(name: str, notes: str, find: Find, recording: str, **settings: Any) -> Instrument:
    sound, _ = find(recording)
    layer = {"id": "l1", "name": recording, "kind": "cloud", "petal": "lichen",
             "sounds": [sound.model_dump(mode="json")], "settings": settings}  # fmt: skip
    return parse_instrument({"name": name, "notes": notes, "layers": [layer]})


def _sending(document: Instrument, bus: str, levels: dict[str, float]) -> Instrument:
    """Layers that send to a shared stream, at levels in dB."""
    for layer, level in levels.items():
        document = buses.send(document, layer, bus)
        for one in next(each for each in document.layers if each.id == layer).sends:
            if one.to == bus:
                one.settings.level = level  # type: ignore[attr-defined]
    return document


def panes_in_the_dark(find: Find) -> Instrument:
    """Wire and jar heard through rain on panes and through the ice, in one hall."""
    made = _started(
        "Panes in the dark",
        "A close wire and a jar, dry: the place is made of rain on glass and of the pond's ice. "
        "Press harder for more of the hall.",
        find, "Bowed fence wire", position=35, size=340, density=16, stereo_scatter=60,
        attack=500, release=2_600, level=-2,
    )  # fmt: skip
    jar, loop = find("Blown jar")
    made = layering.add_layer(made, "cloud", name="Blown jar", sound=jar, loop=loop, settings={
        "position": 40, "size": 260, "density": 14, "level": -7, "attack": 900, "release": 2_200,
        "stereo_scatter": 40})  # fmt: skip
    made = buses.add_bus(made, "Glasshouse")
    rain, ice = find("Rain on glass panes")[0], find("Ice settling on the pond")[0]
    made = chains.add_effect(made, "b1", "embed", sound=rain, settings={
        "wet": -4, "dry": -60, "speed": 0.7, "fade_out": 3_000, "tilt": -1.5})  # fmt: skip
    made = chains.add_effect(made, "b1", "embed", sound=ice, settings={
        "wet": -9, "dry": -60, "beside": 100, "fade_out": 2_000})  # fmt: skip
    made = chains.add_effect(made, "b1", "room", settings={
        "size": 22, "decay": 4_200, "mix": 40, "low": 90, "high": 45})  # fmt: skip
    made = _sending(made, "b1", {"l1": -5.0, "l2": -8.0})
    made = chains.add_effect(made, "l1", "equaliser", settings={
        "hz_3": 320, "gain_3": -3, "hz_4": 3_400, "gain_4": -4, "q_4": 1.6})  # fmt: skip
    made = chains.add_effect(made, "instrument", "bands", settings={"mix": 40})
    made = with_modulator(made, "drift", "Weather", pull=7_000, reach=45, restart="never")
    return said(
        made,
        "weather > bowed fence wire position 20 %",
        "pressure > glasshouse room mix 45 %, eased 80 ms up, 900 ms down",
    )


def sluice_breathing(find: Find) -> Instrument:
    """A pump's hum that gives way whenever the wheel turns, under an echo that wanders."""
    made = _started(
        "Sluice, breathing",
        "The hum makes room for every turn of the wheel; the echo wanders, and slide feeds it.",
        find, "Sluice wheel", position=25, size=150, density=20, stereo_scatter=70, attack=30,
        release=900, level=7,
    )  # fmt: skip
    pump, loop = find("Pump, distant")
    made = layering.add_layer(made, "loop", name="Pump, distant", sound=pump, loop=loop, settings={
        "level": 2, "attack": 1_200, "release": 2_500, "filter": "12 dB", "cutoff": 1_400})  # fmt: skip
    hum = made.layers[1].id
    made = chains.add_effect(made, hum, "harmonics", settings={"corner": 110, "amount": -4})
    made = chains.add_effect(made, hum, "compressor", settings={
        "listens": "a layer", "threshold": -36, "ratio": 12, "attack": 20, "release": 420,
        "make_up": "by hand"})  # fmt: skip
    made.layers[1].effects[1].listens_to = made.layers[0].id
    made = buses.add_bus(made, "Wandering echo")
    made = chains.add_effect(made, "b1", "echo", settings={
        "time": 430, "feedback": 58, "wander": 60, "sides": "ping-pong", "mix": 100,
        "high_cut": 3_200, "drive": 4})  # fmt: skip
    made = chains.add_effect(made, "b1", "chorus", settings={"mix": 30, "depth": 25})
    made = _sending(made, "b1", {made.layers[0].id: -14.0})
    made = chains.body_then_room(made, made.layers[0].id)
    made = with_modulator(made, "drift", "Water", pull=8_000, reach=60, ease=1_500, restart="never")
    return said(
        made,
        "slide > wandering echo echo feedback 30 %",
        "water > sluice wheel position 24 %",
        "water > sluice wheel cutoff 0.9 octaves",
    )


EMBEDDED: tuple[Callable[[Find], Instrument], ...] = (panes_in_the_dark, sluice_breathing)
