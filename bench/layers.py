"""The layered engine: 24 voices of 4 layers, how cost grows, idling, and a second core.

Times are shares of one core; the last column is what the same grain-samples cost the bare grain
kernel, measured in the same run, so that ratios hold on a noisy machine.
"""

from __future__ import annotations

import sys
import time

import numpy as np

from common import say
from innerbloom.core.engine import BLOCK, ENGINE_RATE, Engine, compile_program, prepare_material
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.performance.events import EditProgram, Event

BLOCK_S = BLOCK / ENGINE_RATE
RNG = np.random.default_rng(1)
SOUND = (0.1 * RNG.standard_normal((10 * ENGINE_RATE, 2))).astype(np.float32)
MATERIALS = HeldMaterials(prepare_material(SOUND, ENGINE_RATE))
TONE = {"filter": "12 dB", "drive": 6}
CLOUD = {"kind": "cloud", "settings": {"size": 140, "density": 16 / 0.14, **TONE}}
CARRIER = {"kind": "wave", "settings": TONE}
MODULATOR = {"kind": "wave", "settings": {"link": "phase", **TONE}}
FOUR = [CARRIER, MODULATOR, CLOUD, CLOUD]


def engine_of(layers: list[dict], voices: int, cores: int = 1, routes: int = 0) -> Engine:
    made = [
        {"id": f"l{i}", "name": str(i), **layer,
         "sounds": [{"path": "noise.wav"}] if layer["kind"] in ("cloud", "loop") else []}
        for i, layer in enumerate(layers)
    ]  # fmt: skip
    moved = [
        {"id": f"r{i}", "source": "slide", "target": f"l{i % len(made)}", "parameter": "cutoff",
         "depth": 0.01, "rise": 20, "fall": 20}
        for i in range(routes)
    ]  # fmt: skip
    document = {"version": 4, "name": "bench", "layers": made, "routes": moved,
                "settings": {"voices": max(1, voices)}}  # fmt: skip
    engine = Engine(compile_program(parse_instrument(document), MATERIALS), cores=cores)
    engine.render(ENGINE_RATE // 2, [Event("on", i, 48.0 + i % 40, 0.8) for i in range(voices)])
    return engine


def blocks(
    engines: dict[str, Engine], seconds: float = 6.0, stretch: int = 1
) -> dict[str, np.ndarray]:
    """Block times of each engine as shares of a block, taken in turn, so many blocks at a time."""
    times: dict[str, list[float]] = {name: [] for name in engines}
    for _ in range(round(seconds / BLOCK_S / stretch)):
        for name, engine in engines.items():
            for _ in range(stretch):
                start = time.perf_counter()
                engine.render(BLOCK)
                times[name].append((time.perf_counter() - start) / BLOCK_S)
    return {name: np.array(found) for name, found in times.items()}


def second_core() -> None:
    """What a second core saves: by stretches, since what sounds alone finds its caches as it left
    them, and of no two engines that take turns either does."""
    # as the live process has it
    sys.setswitchinterval(0.00005)
    found = blocks({"one": engine_of(FOUR, 24), "two": engine_of(FOUR, 24, cores=2)}, stretch=60)
    one, two = (np.median(found[name]) for name in ("one", "two"))
    say(
        "24 voices x 4 layers on two cores",
        f"p50 {two:.3f} of {one:.3f}: {two / one:.2f} of one core's time",
    )


def edit_ms(rounds: int = 40) -> np.ndarray:
    """What an edit takes while 24 voices of 4 layers sound, beside compiling, in ms: a block in
    which a layer comes or goes, less the block before it."""
    engine, times = engine_of(FOUR, 24), []
    programs = [engine_of(layers, 24).section.program for layers in (FOUR[:3], FOUR)]
    for number in range(rounds):
        start = time.perf_counter()
        engine.render(BLOCK)
        between = time.perf_counter()
        engine.render(BLOCK, [EditProgram(programs[number % 2], engine.now)])
        times.append(1_000 * (time.perf_counter() - between - (between - start)))
        engine.render(16 * BLOCK)
    return np.array(times)


def main() -> None:
    engines = {
        "24 voices x 4 layers": engine_of(FOUR, 24),
        "12 voices x 4 layers": engine_of(FOUR, 12),
        "6 voices x 4 layers": engine_of(FOUR, 6),
        "24 voices x 4 layers, 64 routes": engine_of(FOUR, 24, routes=64),
        "24 clouds of 16 grains alone": engine_of([{**CLOUD, "settings": {
            k: v for k, v in CLOUD["settings"].items() if k not in TONE}}], 24),
        "24 waves alone": engine_of([{"kind": "wave", "settings": {}}], 24),
        "24 loops alone": engine_of([{"kind": "loop", "settings": {}}], 24),
        "24 noises alone": engine_of([{"kind": "noise", "settings": {}}], 24),
        "idle, 4 layers": engine_of(FOUR, 0),
    }  # fmt: skip
    found = blocks(engines)
    alone = np.median(found["24 clouds of 16 grains alone"])
    for name, times in found.items():
        p50, p99 = np.percentile(times, [50, 99])
        best = np.percentile(times, 5)
        say(name, f"mean {times.mean():.3f}  p50 {p50:.3f}  p5 {best:.3f}  p99 {p99:.3f}  "
                  f"{p50 / alone:.2f} of a cloud")  # fmt: skip
    second_core()
    edits = edit_ms()
    say(
        "an edit while 24 voices sound",
        f"p50 {np.median(edits):.2f} ms  worst {edits.max():.2f} ms",
    )
    one, two = engine_of(FOUR, 24), engine_of(FOUR, 24, cores=2)
    same = np.array_equal(one.render(ENGINE_RATE), two.render(ENGINE_RATE))
    say("one core and two", "identical samples" if same else "DIFFERENT SAMPLES")


if __name__ == "__main__":
    main()
