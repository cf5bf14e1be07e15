"""Demo instruments of several layers: a stacked organ, a chain that moves, a choice of weathers."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from innerbloom.core.declare.sound import Sound
from innerbloom.core.instrument import layering
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.core.instrument.layering import FoundLoop
from innerbloom.demo.saying import said, with_modulator

Find = Callable[[str], tuple[Sound, FoundLoop | None]]
"""Finds a sound on the shelf by its name."""

Plain = dict[str, Any]


def _begun(name: str, notes: str, kind: str, sound: Sound, **settings: Any) -> Instrument:
    layer = {"id": "l1", "name": sound.name, "kind": kind, "petal": "madder",
             "sounds": [sound.model_dump(mode="json")], "settings": settings}  # fmt: skip
    return parse_instrument({"version": 4, "name": name, "notes": notes, "layers": [layer]})


def _changed(document: Instrument, change: Plain) -> Instrument:
    return parse_instrument({**document.model_dump(mode="json"), **change})


def _with_routes(document: Instrument, routes: list[Plain]) -> Instrument:
    kept = [route.model_dump(mode="json") for route in document.routes]
    numbered = [{**route, "id": f"d{n}"} for n, route in enumerate(routes)]
    return _changed(document, {"routes": [*kept, *numbered]})


def _set(document: Instrument, index: int, **settings: Any) -> Instrument:
    plain = document.model_dump(mode="json")
    plain["layers"][index]["settings"] |= settings
    return parse_instrument(plain)


def drowned_organ(find: Find) -> Instrument:
    """Looped jar, a sine under it that stays clean, a filtered pulse, a click; three a note."""
    jar, _ = find("Blown jar")
    made = _begun(
        "Drowned organ", "A pipe organ of jars. Three voices a note; the sine keeps out of the grit.",
        "loop", jar, start=18, loop_start=30, loop_length=1_650, crossfade=55, attack=240,
        release=1_800, drive=5, filter="12 dB", cutoff=3_200, level=-2,
    )  # fmt: skip
    made = layering.add_tuned_wave(made, 0, "sine", -1)
    made = _set(made, 1, effects="past", attack=90, release=1_500, level=-7)
    made = layering.add_layer(made, "wave", name="Reed pulse", settings={
        "shape": "pulse", "width": 22, "level": -19, "filter": "24 dB", "cutoff": 700,
        "resonance": 18, "attack": 60, "release": 900, "phase_scatter": 100,
        "tone_attack": 420, "tone_decay": 2_600, "tone_sustain": 30})  # fmt: skip
    made = layering.add_click(made)
    made = _set(made, 3, level=-16)
    made = _with_routes(made, [
        {"source": "tone_envelope", "target": "l3", "parameter": "cutoff", "depth": 2.2},
        {"source": "key", "target": "l3", "parameter": "cutoff", "depth": 0.6},
        {"source": "slide", "target": "l3", "parameter": "width", "depth": 40, "rise": 30, "fall": 30},
        {"source": "pressure", "target": "l1", "parameter": "cutoff", "depth": 1.5, "rise": 30,
         "fall": 120},
    ])  # fmt: skip
    made = with_modulator(made, "lfo", "Bellows", rate=0.043, restart="never")
    made = said(
        made,
        "bellows > blown jar cutoff 1.2 octaves",
        "bellows, other side > reed pulse width 16 %",
        "bellows > reed pulse cutoff 1 octave",
    )
    return _changed(made, {"stack": [{"pan": -20}, {"start": 3}, {"pan": 20, "release": 0.4}],
                           "settings": {"unison_detune": 9, "unison_spread": 45, "level": -8}})  # fmt: skip


def lamp_signal(find: Find) -> Instrument:
    """A chain: noise of rain moves a kettle lid, which moves a sine; mono, legato, gliding."""
    lid, _ = find("Kettle lid")
    rain, _ = find("Rain on glass panes")
    made = _begun(
        "Lamp under ice", "Lift a finger: the lid rings through the sine. Legato glides.",
        "loop", lid, start=2, loop="back-and-forth", loop_start=6, loop_length=900, attack=30,
        release=2_400, link="phase", link_amount=0.0, level=-60,
    )  # fmt: skip
    made = layering.add_layer(made, "wave", name="Lamp", settings={
        "shape": "sine", "attack": 220, "attack_curve": -20, "release": 2_600, "level": -3,
        "loudness_hold": "on", "octave": 0})  # fmt: skip
    made = layering.move_layer(made, 1, 0)
    made = layering.add_layer(made, "noise", name="Rain in the wire", sound=rain, settings={
        "colour": "recording", "link": "rate", "link_amount": 0.02, "level": -34, "attack": 900,
        "release": 3_000, "filter": "12 dB", "blend": 1, "cutoff": 900, "resonance": 30})  # fmt: skip
    made = _with_routes(made, [
        {"source": "slide", "target": "l1", "parameter": "link_amount", "depth": 5.0, "rise": 40,
         "fall": 80},
        {"source": "tone_envelope", "target": "l1", "parameter": "link_amount", "depth": 1.2},
        {"source": "key", "target": "l3", "parameter": "cutoff", "depth": 1.0},
    ])  # fmt: skip
    made = _set(made, 1, tone_attack=700, tone_decay=5_000, tone_sustain=35)
    made = with_modulator(
        made, "drift", "Flicker", pull=6_000, reach=80, ease=1_500, restart="never"
    )
    made = said(made, "flicker > kettle lid amount 2.5", "flicker > lamp pan 20 %")
    return _changed(made, {"stack": [{"pan": -20}, {"pan": 20}],
                           "settings": {"mode": "legato", "glide": "by time", "glide_time": 140,
                                        "unison_detune": 5, "unison_spread": 30, "level": -5}})  # fmt: skip


def weather_shelf(find: Find) -> Instrument:
    """Three weathers chosen by a finger's height, and a tiny moving loop through a low rate."""
    names = ("Reed stems in a gust", "Pebbles under water", "Ice settling on the pond")
    reeds, pebbles, ice = (find(name)[0] for name in names)
    made = _begun(
        "Weather shelf", "Low: reeds; middle: pebbles; high: ice. Harder keys add grit.", "cloud",
        reeds, size=260, density=20, position=10, motion="path", path_time=24_000,
        path_end="looped", choose="control", borders="crossfaded", attack=500, release=4_000,
        stereo_scatter=90, pitch_scatter=700, steps="fifths", skew=-40, level=0, tone_attack=9_000, tone_attack_curve=0, tone_decay=14_000,
        tone_sustain=20,
    )  # fmt: skip
    for sound in (pebbles, ice):
        made = layering.add_sounds(made, 0, [sound])
    plain = made.model_dump(mode="json")
    plain["layers"][0]["path"] = [[0, 0.05], [0.3, 0.7], [0.55, 0.35], [0.8, 0.9], [1, 0.05]]
    made = parse_instrument(plain)
    pump, _ = find("Pump, distant")
    made = layering.add_layer(made, "loop", name="Pump, a tiny loop", sound=pump, settings={
        "loop_start": 20, "loop_length": 40, "crossfade": 70, "reduced_rate": 5_200, "bits": 9,
        "velocity_low": 70, "velocity_fade": 20, "level": -12, "attack": 120, "release": 1_400,
        "start": 20, "filter": "12 dB", "cutoff": 5_000})  # fmt: skip
    return _with_routes(made, [
        {"source": "slide", "target": "l1", "parameter": "choice", "depth": 100},
        {"source": "tone_envelope", "target": "l1", "parameter": "choice", "depth": 70},
        {"source": "tone_envelope", "target": "l2", "parameter": "loop_start", "depth": 45},
        {"source": "tone_envelope", "target": "l2", "parameter": "loop_length", "depth": -2},
        {"source": "pressure", "target": "l1", "parameter": "density", "depth": 1.5, "rise": 60,
         "fall": 200},
    ])  # fmt: skip


LAYERED: tuple[Callable[[Find], Instrument], ...] = (drowned_organ, lamp_signal, weather_shelf)
