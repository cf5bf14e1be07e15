"""What effects cost: shares of a core by kind, and of a full chain beside 24 voices of 4 layers.

Each effect is measured with noise going through it in blocks, as live sound does; the last column
is against the state-variable filter's one section over the same stream, measured in the same run.
"""

from __future__ import annotations

import time

import numpy as np

from common import say
from innerbloom.core.declare.parameters import default_record
from innerbloom.core.dsp.filter import run_section, set_section
from innerbloom.core.dsp.partitioned import partitioned
from innerbloom.core.dsp.rates import BLOCK, RATE, TICK
from innerbloom.core.effects import EFFECT_KINDS, Ticks
from innerbloom.core.engine import Engine, compile_program, prepare_material
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.materials.response import ResponseRequest
from innerbloom.core.performance.events import Event
from layers import FOUR, SOUND

BLOCK_S = BLOCK / RATE
ROUNDS, BLOCKS = 7, 190
RNG = np.random.default_rng(1)
NOISE = (0.1 * RNG.standard_normal((BLOCKS * BLOCK, 2))).astype(np.float32)


def response(seconds: float):
    frames = round(seconds * RATE)
    fall = np.exp(-5 * np.arange(frames) / frames)[:, None]
    return partitioned((RNG.standard_normal((frames, 2)) * fall).astype(np.float32))


PLACE = response(6)
MATERIALS = HeldMaterials(prepare_material(SOUND, RATE), answers={ResponseRequest: lambda _: PLACE})
EIGHT = {f"shape_{n}": 3.0 for n in range(1, 9)} | {f"gain_{n}": 4.0 for n in range(1, 9)}
CASES: dict[str, tuple[str, object, dict[str, float]]] = {
    kind: (kind, None, {}) for kind in EFFECT_KINDS if kind not in ("embed", "colour")
} | {
    "equaliser, eight bells": ("equaliser", None, EIGHT),
    "resonator, 24": ("resonator", None, {"modes": 24}),
    "embed, 1 s stereo": ("embed", response(1), {}),
    "embed, 6 s stereo": ("embed", response(6), {}),
    "embed, 10 s stereo": ("embed", response(10), {}),
}  # fmt: skip


def share_of(kind: str, made: object, settings: dict[str, float]) -> tuple[float, float]:
    """Median share of a core, and that of the slowest block in a hundred."""
    record = default_record(EFFECT_KINDS[kind].declared)
    for name, value in settings.items():
        record[name] = value
    values, effect = np.repeat(record, BLOCK // TICK), EFFECT_KINDS[kind].make(made)
    whole, blocks = [], []
    for turn in range(ROUNDS):
        audio, begun = NOISE.copy(), time.perf_counter()
        for number in range(BLOCKS):
            start = time.perf_counter()
            first = (turn * BLOCKS + number) * (BLOCK // TICK)
            effect.process(audio[number * BLOCK :][:BLOCK], Ticks(first, 0.0, values))
            blocks.append(time.perf_counter() - start)
        whole.append(time.perf_counter() - begun)
    return float(np.median(whole)) / (BLOCKS * BLOCK_S), float(np.percentile(blocks, 99)) / BLOCK_S


def section_share() -> float:
    """The same of one filter section."""
    flat, state, now = NOISE.reshape(-1).copy(), np.zeros((2, 2)), np.zeros(6)
    set_section(now, 1_000.0, 0.7, 0.0)
    times = []
    for _ in range(ROUNDS):
        begun = time.perf_counter()
        for at in range(0, len(flat), 2 * TICK):
            run_section(flat, at, 2, now, now, state)
        times.append(time.perf_counter() - begun)
    return float(np.median(times)) / (BLOCKS * BLOCK_S)


def full_engine(with_effects: bool) -> np.ndarray:
    """Block times of 24 voices of 4 layers, as shares of a block.

    The same notes several times, the least of each block: what else the machine does only ever adds.
    """

    def chain(prefix: str, *kinds: str) -> list[dict]:
        return [{"id": f"{prefix}{n}", "kind": kind} for n, kind in enumerate(kinds)]

    layers = [
        {"id": f"l{i}", "name": str(i), **one,
         "sounds": [{"path": "noise.wav"}] if one["kind"] == "cloud" else [],
         "effects": chain(f"x{i}a", "equaliser", "compressor", "drive") if with_effects else [],
         "sends": [{"id": f"s{i}", "to": "b1"}, {"id": f"t{i}", "to": "b2"}] if with_effects else []}
        for i, one in enumerate(FOUR)
    ]  # fmt: skip
    buses = [{"id": f"b{n}", "name": str(n), "effects": chain(f"y{n}a", kind)}
             for n, kind in ((1, "embed"), (2, "room"))]  # fmt: skip
    document = {"name": "bench", "layers": layers, "settings": {"voices": 24},
                "buses": buses if with_effects else [],
                "effects": chain("z", "equaliser", "bands", "stereo") if with_effects else []}  # fmt: skip
    if with_effects:
        buses[0]["effects"][0]["sound"] = {"path": "place.wav"}
    program = compile_program(parse_instrument(document), MATERIALS)
    return np.min([block_times(Engine(program)) for _ in range(ROUNDS)], axis=0)


def block_times(engine: Engine) -> np.ndarray:
    """Shares of a block that 600 of them take, with 24 notes down."""
    # whole blocks, as live sound is made
    engine.render(RATE // BLOCK * BLOCK, [Event("on", i, 48.0 + i % 40, 0.8) for i in range(24)])
    times = []
    for _ in range(600):
        start = time.perf_counter()
        engine.render(BLOCK)
        times.append((time.perf_counter() - start) / BLOCK_S)
    return np.array(times)


def main() -> None:
    reference = section_share()
    say("one filter section", f"{reference:.4f} of a core")
    for name, (kind, made, settings) in CASES.items():
        share, slow = share_of(kind, made, settings)
        say(
            name,
            f"{share:.4f} of a core, p99 {slow:.3f} of a block, {share / reference:.1f} sections",
        )
    plain, full = full_engine(False), full_engine(True)
    say(
        "24 voices x 4 layers, no effects",
        f"{plain.mean():.3f}, p99 {np.percentile(plain, 99):.3f}",
    )
    say("the same, 3 inserts each, 2 shared, 3 on the whole",
        f"{full.mean():.3f}, p99 {np.percentile(full, 99):.3f}")  # fmt: skip


if __name__ == "__main__":
    main()
