"""Demo instruments that live by themselves: their routes are written as sentences."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from innerbloom.core.instrument import layering
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.demo.layered import Find
from innerbloom.demo.saying import said, with_modulator


def _cloud(name: str, notes: str, find: Find, recording: str, **settings: Any) -> Instrument:
    sound, _ = find(recording)
    layer = {"id": "l1", "name": recording, "kind": "cloud", "petal": "madder",
             "sounds": [sound.model_dump(mode="json")], "settings": settings}  # fmt: skip
    return parse_instrument({"version": 4, "name": name, "notes": notes, "layers": [layer]})


def tide_clock(find: Find) -> Instrument:
    """Ice and wire under two tides of unlike length, a drift, and macros for depth and weather."""
    made = _cloud(
        "Tide clock", "Hold one chord for a minute: two tides of unlike length never meet alike.",
        find, "Ice settling on the pond", position=30, position_scatter=6, size=220, density=18,
        stereo_scatter=70, attack=900, release=3_500, filter="12 dB", cutoff=2_400, resonance=12,
    )  # fmt: skip
    wire, loop = find("Bowed fence wire")
    made = layering.add_layer(made, "cloud", name="Bowed fence wire", sound=wire, loop=loop, settings={
        "position": 45, "size": 420, "density": 12, "level": -7, "attack": 1_800, "release": 4_000,
        "stereo_scatter": 50, "filter": "24 dB", "cutoff": 900})  # fmt: skip
    made = layering.add_tuned_wave(made, 1, "sine", -1)
    plain = made.model_dump(mode="json")
    plain["layers"][2]["settings"] |= {"level": -14, "attack": 1_200, "release": 3_000}
    plain["settings"]["level"] = -4.5
    made = parse_instrument(plain)
    made = with_modulator(made, "lfo", "Slow tide", rate=0.047, restart="never")
    made = with_modulator(made, "lfo", "Far tide", rate=0.0311, wave="triangle", restart="never")
    made = with_modulator(
        made, "drift", "Undertow", pull=6_000, reach=45, ease=1_500, restart="never"
    )
    made = with_modulator(
        made, "follower", "Ice heard", {"follows": "l1"}, floor=-40, rise=60, fall=700
    )
    made = with_modulator(made, "macro", "Depth", value=35, other=80)
    made = with_modulator(made, "macro", "Weather", value=20, other=70)
    return said(
        made,
        "slow tide > ice position 18 %, scaled by weather",
        "slow tide > ice cutoff 1.1 octaves",
        "slow tide, other side > bowed fence wire pan 45 %",
        "far tide > bowed fence wire position 30 %",
        "far tide > bowed fence wire level -9 dB, one-sided",
        "far tide > ice level 6 dB, upside down",
        "undertow > bowed fence wire cutoff 1.4 octaves",
        "undertow > slow tide rate 0.7 octaves",
        "ice heard > bowed fence wire density 0.8 octaves, eased 200 ms up, 900 ms down",
        "depth > ice cutoff 2.4 kHz to 500 Hz",
        "depth > bowed fence wire level -7 dB to -1 dB",
        "weather > ice density 18 /s to 46 /s",
        "mod wheel > ice pitch scatter 300 cents, eased 40 ms",
    )


def moth_lantern(find: Find) -> Instrument:
    """Moths chosen step by step over a breathing pump, in time with each other at 72 a minute."""
    made = _cloud(
        "Moth lantern", "Steps of chance over a drawn breath; the wheel slows the moths.", find,
        "Moths against a lamp", position=20, position_scatter=2, size=90, density=26, level=-1,
        stereo_scatter=80, attack=200, release=2_000, filter="12 dB", cutoff=5_000,
    )  # fmt: skip
    pump, loop = find("Pump, distant")
    made = layering.add_layer(made, "loop", name="Pump, distant", sound=pump, loop=loop, settings={
        "loop_start": 20, "loop_length": 900, "crossfade": 50, "level": -8, "attack": 1_500,
        "release": 3_000, "filter": "12 dB", "cutoff": 700})  # fmt: skip
    steps = {
        "steps": [
            (-0.8, 1.0),
            (0.1, 0.8),
            (0.6, 0.9),
            (-0.3, 0.7),
            (0.9, 0.6),
            (-0.1, 1.0),
            (0.4, 0.5),
        ]
    }
    made = with_modulator(made, "steps", "Moth steps", steps, clock="beats", beats=0.5, glide=15,
                 restart="never")  # fmt: skip
    breath = {"points": [(0.0, 0.0, -30.0), (0.35, 1.0, 20.0), (0.6, 0.55, 0.0), (1.0, 0.0, 0.0)]}
    made = with_modulator(made, "shape", "Breath", breath, clock="beats", beats=13, loop="always",
                 loop_from=0, loop_to=100, restart="with each phrase")  # fmt: skip
    made = with_modulator(made, "random", "Each moth", reach="-1 to 1", spread="bell")
    made = with_modulator(
        made, "lfo", "Flutter", rate=5.2, wave="curves of chance", delay=400, fade=3_000
    )
    gust = {"sound": find("Reed stems in a gust")[0].model_dump(mode="json")}
    made = with_modulator(made, "contour", "Gust", gust, floor=-50, pace=-1, rise=120, fall=600,
                 restart="never")  # fmt: skip
    made = with_modulator(
        made, "drift", "Night air", pull=9_000, reach=50, ease=2_000, restart="never"
    )
    plain = made.model_dump(mode="json")
    plain["settings"]["tempo"] = 72
    return said(
        parse_instrument(plain),
        "moth steps > moths position 34 %",
        "moth steps > moths cutoff 0.9 octaves, eased 30 ms",
        "breath > pump cutoff 700 Hz to 3 kHz",
        "breath > pump level -8 dB to -2 dB",
        "breath > moths level -7 dB",
        "each moth > moths shift 7 semitones",
        "flutter > moths level 3 dB",
        "gust > moths density 1.2 octaves",
        "night air > pump loop start 25 %",
        "night air > moths size 0.8 octaves",
        "mod wheel > moth steps length 3 octaves, eased 60 ms",
    )


MOVING: tuple[Callable[[Find], Instrument], ...] = (tide_clock, moth_lantern)
