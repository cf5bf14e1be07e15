"""What playing together costs: a map that moves, and an ensemble, as shares of the time that sounds.

Run as ``python bench/together.py``. What is compared is done by turns, so that both meet the same machine.
"""

from __future__ import annotations

import statistics
import sys
import time
from collections.abc import Callable

import numpy as np

from innerbloom.core.engine import BLOCK, ENGINE_RATE, Engine, compile_program, prepare_material
from innerbloom.core.engine.ensemble import EnsembleEngine
from innerbloom.core.engine.ensemble_program import compile_ensemble
from innerbloom.core.ensemble import working
from innerbloom.core.instrument import snapshooting
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.instrument.grow import grow_cloud
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.performance.events import Event, SetParameter

SECONDS, TURNS = 3.0, 3
_BLOCKS = round(SECONDS * ENGINE_RATE / BLOCK)


def _share(engine: Engine | EnsembleEngine, each: Callable[[int], list[SetParameter]]) -> float:
    for _ in range(60):
        engine.render(BLOCK)
    began = time.perf_counter()
    for number in range(_BLOCKS):
        engine.render(BLOCK, each(number))
    return (time.perf_counter() - began) / SECONDS


def _chord(count: int, low: float = 45.0) -> list[Event]:
    return [Event("on", n, low + 2 * n, 0.8) for n in range(1, count + 1)]


def _map(materials: HeldMaterials) -> None:
    document = grow_cloud("map", duration_s=4.0, root=69.0, loudness_lufs=None)
    for place, size in (((0.0, 0.0), 40), ((1.0, 0.0), 200), ((0.5, 1.0), 600)):
        plain = document.model_dump(mode="json")
        plain["layers"][0]["settings"] |= {
            "size": size,
            "density": 4_000 / size,
            "cutoff": 20 * size,
        }
        document = snapshooting.take_snapshot(parse_instrument(plain))
        document = snapshooting.put_on_map(document, document.snapshots[-1].id, place)
    program = compile_program(document, materials)

    def moved(number: int) -> list[SetParameter]:
        # 62.5 times a second
        if number % 3:
            return []
        at = 50 + 50 * np.sin(number / 40)
        return [SetParameter("instrument", "map_across", at, number * BLOCK),
                SetParameter("instrument", "map_up", 100 - at, number * BLOCK)]  # fmt: skip

    shares: dict[str, list[float]] = {"still": [], "moved": []}
    for _ in range(TURNS):
        for name, each in (("still", lambda _: []), ("moved", moved)):
            engine = Engine(program, limited=False)
            engine.render(0, _chord(8))
            shares[name].append(_share(engine, each))
    still, moving = (statistics.median(shares[name]) for name in ("still", "moved"))
    print(f"map: {still:.3f} of a core standing still, {moving:.3f} moved 60 times a second")


def _ensemble(materials: HeldMaterials, notes: int) -> None:
    document = grow_cloud("cloud", duration_s=4.0, root=69.0, loudness_lufs=None)
    made = working.new_ensemble("eight")
    for number in range(8):
        made = working.add_player(made, str(number), document=document.model_dump(mode="json"))
    program = compile_ensemble(made, materials)
    one = compile_program(document, materials)
    shares: dict[str, list[float]] = {"one": [], "eight": [], "eight, two cores": []}
    for _ in range(TURNS):
        engines = {
            "one": Engine(one, limited=False),
            "eight": EnsembleEngine(program, limited=False),
            "eight, two cores": EnsembleEngine(program, limited=False, cores=2),
        }
        for name, engine in engines.items():
            engine.render(0, _chord(8 * notes if name == "one" else notes, 30.0))
            shares[name].append(_share(engine, lambda _: []))
    told = ", ".join(f"{name} {statistics.median(found):.3f}" for name, found in shares.items())
    print(f"{8 * notes} notes of one cloud each, shares of a core by instruments: {told}")


def main() -> None:
    # as the live process has it
    sys.setswitchinterval(0.00005)
    noise = np.random.default_rng(1).standard_normal((4 * ENGINE_RATE, 1)).astype(np.float32)
    materials = HeldMaterials(prepare_material(0.1 * noise, ENGINE_RATE))
    _map(materials)
    for notes in (3, 8):
        _ensemble(materials, notes)


if __name__ == "__main__":
    main()
