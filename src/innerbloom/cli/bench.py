"""``bloom bench``: how fast this machine renders."""

from __future__ import annotations

import time

import click
import numpy as np

from innerbloom.cli.kernels import ensure_kernels
from innerbloom.cli.results import json_option, result


@click.command()
@json_option
@click.option("--voices", default=24, show_default=True, type=click.IntRange(1, 64))
@click.option("--grains", default=16, show_default=True, type=click.IntRange(1, 48),
              help="Mean grains sounding in each voice.")  # fmt: skip
@click.option("--seconds", default=8.0, show_default=True, type=click.FloatRange(1, 120))
def bench(voices: int, grains: int, seconds: float) -> None:
    """Measure the engine: real-time factor and the spread of block times."""
    from innerbloom.core.engine import BLOCK, ENGINE_RATE, Engine, compile_program, prepare_material
    from innerbloom.core.instrument.grow import grow_cloud
    from innerbloom.core.materials.held import HeldMaterials
    from innerbloom.core.performance.events import Event

    ensure_kernels()
    rng = np.random.default_rng(1)
    sound = (0.1 * rng.standard_normal((10 * ENGINE_RATE, 2))).astype(np.float32)
    document = grow_cloud("bench", duration_s=10, root=60.0, loudness_lufs=-20)
    settings = document.layers[0].settings
    settings.size, settings.density = 140.0, grains / 0.14  # type: ignore[attr-defined]
    document.settings.voices = voices  # type: ignore[attr-defined]
    material = prepare_material(sound, ENGINE_RATE)
    engine = Engine(compile_program(document, HeldMaterials(material)))
    engine.render(ENGINE_RATE, [Event("on", i, 48.0 + i, 0.8) for i in range(voices)])
    times = []
    for _ in range(round(seconds * ENGINE_RATE / BLOCK)):
        start = time.perf_counter()
        engine.render(BLOCK)
        times.append(time.perf_counter() - start)
    block_s = BLOCK / ENGINE_RATE
    factor, p50, p99 = np.array([np.mean(times), *np.percentile(times, [50, 99])]) / block_s
    facts = {
        "voices": voices, "grains": grains, "block": BLOCK, "rate": ENGINE_RATE,
        "real_time_factor": float(factor), "p50": float(p50), "p99": float(p99),
    }  # fmt: skip
    result(
        facts,
        f"{voices} voices x {grains} grains, {BLOCK}-frame blocks of {1e3 * block_s:.2f} ms\n"
        f"real-time factor  {factor:.3f} of one core\n"
        f"block time        p50 {p50:.3f}, p99 {p99:.3f} of its duration",
    )
