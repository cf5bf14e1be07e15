"""Wavetables: unison oscillators with moving position and FM, bent and restarted ones, extraction.

Shares of one core; the bare kernel is compared with C in twins.py.
"""

from __future__ import annotations

import time

import numpy as np

from common import in_turn, say
from innerbloom.core.engine import ENGINE_RATE, Engine, compile_program
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.materials.wavetable.document import FromRecording
from innerbloom.core.materials.wavetable.extract import extract
from innerbloom.core.materials.wavetable.prepared import build_wavetable
from innerbloom.core.performance.events import Event

RNG = np.random.default_rng(4)
K = np.arange(1, 1024)
LEVELS = 0.1 + np.abs(np.sin(np.linspace(0, 6, 64)[:, None] * (0.3 + 0.01 * K)))
TABLE = build_wavetable(LEVELS * np.exp(2j * np.pi * RNG.random(1023)) / K / 8)
SWEEP = {"source": "m:m1", "target": "l1", "parameter": "frame", "depth": 50.0}


class Held(HeldMaterials):
    def wavetable(self, shape, sound):
        return TABLE if shape == "table" else super().wavetable(shape, sound)


def engine_of(unison: int, *, fm: bool = False, **wave) -> Engine:
    """24 voices over three octaves, their position swept."""
    layers = [{"id": "l1", "name": "1", "kind": "wave", "sounds": [{"path": "table.wav"}],
               "settings": {"shape": "table", "frame": 50, "unison": unison, "level": -24, **wave}}]  # fmt: skip
    if fm:
        layers.append({"id": "l2", "name": "2", "kind": "wave", "settings": {"link": "phase"}})
    document = {"version": 4, "name": "bench", "layers": layers, "routes": [{"id": "r1", **SWEEP}],
                "modulators": [{"id": "m1", "name": "m", "kind": "lfo", "settings": {"rate": 0.7}}]}  # fmt: skip
    engine = Engine(compile_program(parse_instrument(document), Held()))
    engine.render(ENGINE_RATE // 4, [Event("on", i, 36.0 + 1.5 * i, 0.8) for i in range(24)])
    return engine


def tone() -> np.ndarray:
    """Twenty seconds of a harmonic tone with vibrato and moving levels."""
    t = np.arange(20 * ENGINE_RATE) / ENGINE_RATE
    phase = 2 * np.pi * np.cumsum(220 * 2 ** (0.02 * np.sin(30 * t))) / ENGINE_RATE
    sound = sum(np.sin(k * phase) / k * (1 + 0.5 * np.sin(t * k)) for k in range(1, 20))
    return (0.1 * sound)[:, None].astype(np.float32)


def main() -> None:
    engines = {
        "24 plain waves": engine_of(1),
        "24 x 7 waves, position moving": engine_of(7),
        "24 x 7 waves, position moving, FM": engine_of(7, fm=True),
        "24 waves, phase leaning": engine_of(1, lean=40.0),
        "24 waves, restarted": engine_of(1, sync="with the note", sync_detune=730.0),
    }
    found = in_turn({name: (lambda e=e: e.render(ENGINE_RATE)) for name, e in engines.items()}, 7)
    for name, seconds in found.items():
        say(name, f"{seconds:.3f} of a core")
    sound, how = tone(), FromRecording(sound={"path": "tone.wav"})
    extract(sound, ENGINE_RATE, how)
    times = []
    for _ in range(5):
        start = time.perf_counter()
        extract(sound, ENGINE_RATE, how)
        times.append(time.perf_counter() - start)
    say("64 frames from 20 s by their cycles", f"{np.median(times):.2f} s")


if __name__ == "__main__":
    main()
