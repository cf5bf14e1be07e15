"""Demo instruments of spectra: one that morphs over a minute, one that freezes and thaws."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from innerbloom.core.instrument import chains, layering
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.core.instrument.resembling import resemble
from innerbloom.demo.layered import Find
from innerbloom.demo.saying import said, with_modulator

SPECTRA: tuple[tuple[str, str], ...] = (("Lid, its spectrum", "Kettle lid"),)
"""Spectra on the demo's shelf: name, and the recording each is taken from."""


def _first(name: str, notes: str, sounds: list[Any], **settings: Any) -> Instrument:
    layer = {"id": "l1", "name": sounds[0].name, "kind": "spectral", "petal": "moss",
             "sounds": [one.model_dump(mode="json") for one in sounds], "settings": settings}  # fmt: skip
    return parse_instrument({"version": 4, "name": name, "notes": notes, "layers": [layer]})


def _renamed(document: Instrument, name: str) -> Instrument:
    plain = document.model_dump(mode="json")
    plain["layers"][0]["name"] = name
    return parse_instrument(plain)


def _wide(document: Instrument, layer: str) -> Instrument:
    """A slow chorus: of what has one partial above all others, spread leaves the middle."""
    return chains.add_effect(document, layer, "chorus", settings={
        "delay": 17, "depth": 12, "rate": 0.07, "spread": 100, "mix": 45})  # fmt: skip


def water_rising(find: Find) -> Instrument:
    """Wire turns into jar, jar into pump, over a minute; pebbles speak as they do."""
    sounds = [find(name)[0] for name in ("Bowed fence wire", "Blown jar", "Pump, distant")]
    stretches = ((2.5, 6.0), (0.8, 3.2), (4.0, 8.0))
    sounds = [
        sound.model_copy(update={"start": start, "length": length})
        for sound, (start, length) in zip(sounds, stretches, strict=True)
    ]
    made = _first(
        "Water rising", "The wire turns into the jar and the jar into the pump, once a minute.",
        sounds, at_end="back-and-forth", loop_start=0, speed=0.35, spread=70, blur_time=80,
        attack=900, release=3_500, level=1.5,
    )  # fmt: skip
    made = _renamed(made, "Rising water")
    rain, _ = find("Rain on glass panes")
    made = layering.add_layer(made, "spectral", name="Rain on glass", sound=rain, settings={
        "balance": 100, "speed": 0.5, "level": -16, "attack": 2_500, "release": 4_000,
        "blur_time": 350, "tilt": -3, "tracking": "fixed"})  # fmt: skip
    pebbles, _ = find("Pebbles under water")
    made = layering.add_layer(made, "cloud", name="Pebbles", sound=pebbles, settings={
        "size": 90, "density": 14, "reach": 8, "position_scatter": 0, "stereo_scatter": 90,
        "level": -11, "attack": 1_500, "release": 3_000})  # fmt: skip
    made = resemble(made, 2, 0)
    made = _wide(made, "l1")
    rise = {"points": [(0.0, 0.0, 0.0), (0.45, 0.5, 20.0), (1.0, 1.0, -20.0)]}
    made = with_modulator(made, "shape", "Water", rise, time=60_000)
    made = with_modulator(made, "lfo", "Swell", rate=0.083, wave="curves of chance")
    made = with_modulator(made, "drift", "Silt", pull=7_000, reach=40, ease=1_500)
    made = with_modulator(made, "macro", "Sluice", value=0, other=100)
    return said(
        made,
        "water > rising water morph 100 %",
        "sluice > rising water morph 0 % to 60 %",
        "swell > rising water tilt 3 dB",
        "silt > rising water formant shift 5 semitones",
        "swell, other side > rising water odd and even 60 %",
        "water > rain tilt 4 dB",
        "swell > rain level 7 dB",
        "slide > rising water stretch 18 %, eased 60 ms",
        "mod wheel > rising water blur in time 1500 ms, eased 60 ms",
    )


def frozen_lid(find: Find) -> Instrument:
    """The lid's ring held still and thinned, thawed by the wheel, its partials drawn to fifths."""
    lid, _ = find("Kettle lid")
    made = _first(
        "Frozen lid", "A ring that does not end: strike it again, or let the wheel thaw it.",
        [lid], motion="still", position=12, strikes=-3, spread=85, detune=9, tilt=2,
        attack=4, decay=9_000, sustain=60, release=4_500, level=2.5,
    )  # fmt: skip
    jar, _ = find("Blown jar")
    made = layering.add_layer(made, "spectral", name="Breath", sound=jar, settings={
        "balance": 70, "formants": "kept", "speed": 0.25, "at_end": "back-and-forth",
        "level": -10, "attack": 1_800, "release": 3_500, "blur_time": 400})  # fmt: skip
    made = _wide(made, "l1")
    made = chains.colour(made, 1, find("Reed stems in a gust")[0])
    made = with_modulator(made, "lfo", "Frost", rate=0.052, wave="curves of chance")
    made = with_modulator(made, "lfo", "Glint", rate=0.21, wave="steps of chance", delay=800)
    made = with_modulator(made, "drift", "Thaw", pull=9_000, reach=45, ease=2_000)
    made = with_modulator(made, "random", "Each lid", reach="-1 to 1")
    return said(
        made,
        "frost > kettle lid position 11 %",
        "frost, other side > kettle lid pull 60 %, one-sided",
        "glint > kettle lid strongest 2 octaves, upside down, eased 300 ms",
        "thaw > kettle lid stretch 6 %",
        "thaw > breath formant shift 9 semitones",
        "each lid > kettle lid tilt 2 dB",
        "frost > breath level 8 dB",
        "glint > breath position 30 %, eased 500 ms",
        "mod wheel > kettle lid blur in frequency 60 %, eased 60 ms",
    )


PLAYED: tuple[Callable[[Find], Instrument], ...] = (water_rising, frozen_lid)
