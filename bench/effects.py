"""What effects cost: shares of a core by kind, and of a full chain beside 24 voices of 4 layers.

Each effect is measured with noise going through it in blocks, as live sound does; the last column
is against the state-variable filter's one section over the same stream, measured in the same run.
Some are measured in turn with their loops in C (effects.c), and those that transform blocks with
what SciPy's transforms alone would take.
"""

from __future__ import annotations

import ctypes
import itertools
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import scipy.fft

from common import compiled_c, in_turn, pointer, say
from innerbloom.core.declare.parameters import default_record
from innerbloom.core.dsp.filter import run_section, set_section
from innerbloom.core.dsp.partitioned import partitioned
from innerbloom.core.dsp.rates import BLOCK, RATE, TICK
from innerbloom.core.effects import EFFECT_KINDS, Ticks
from innerbloom.core.effects.room.network import RING, SHARES
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


def worker(kind: str, made: object, settings: dict[str, float]) -> Callable[[np.ndarray], None]:
    """An effect at work on one block after another, in place."""
    record = default_record(EFFECT_KINDS[kind].declared)
    for name, value in settings.items():
        record[name] = value
    values, effect = np.repeat(record, BLOCK // TICK), EFFECT_KINDS[kind].make(made)
    first = itertools.count(0, BLOCK // TICK)
    return lambda block: effect.process(block, Ticks(next(first), 0.0, values))


def share_of(kind: str, made: object, settings: dict[str, float]) -> tuple[float, float]:
    """Least share of a core, and that of the slowest block in a hundred: noise only ever adds."""
    work, whole, blocks = worker(kind, made, settings), [], []
    for _ in range(ROUNDS):
        audio, begun = NOISE.copy(), time.perf_counter()
        for at in range(0, len(audio), BLOCK):
            start = time.perf_counter()
            work(audio[at : at + BLOCK])
            blocks.append(time.perf_counter() - start)
        whole.append(time.perf_counter() - begun)
    return min(whole) / (BLOCKS * BLOCK_S), float(np.percentile(blocks, 99)) / BLOCK_S


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
    return min(times) / (BLOCKS * BLOCK_S)


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


def c_loops() -> dict[str, Callable[[], object]]:
    """The same stream through the same loops in C, by kind; empty without gcc."""
    c = compiled_c(Path(__file__).with_name("effects.c"))
    if c is None:
        return {}
    frames, count = len(NOISE), ctypes.c_int64
    x, rings = NOISE.copy(), np.zeros((16, RING), np.float32)
    turns = 0.9999 * np.exp(2j * np.pi * 110.0 * np.arange(1, 25) / RATE)
    lengths = np.floor(SHARES * 14.0 * RATE / 343.0) + 0.3
    shelves = np.tile([0.9, 0.95, -0.8, -0.85, 0.7, -0.3, -0.4], (16, 1))
    # threshold, slope, knee, gain, attack, release
    compressor = np.array([-24.0, 0.75, 6.0, 9.0, 0.002, 0.0001])
    # splits, attack, release, then threshold, slope and floor of each band
    bands = np.array([0.0079, 0.165, 0.0026, 0.00015, *(-26.0, 0.75, -45.0) * 3])
    echo = np.array([18_240.5, 0.45, 0.35, 0.0117, 0.57])
    # what Python holds on to stays alive as long as the loops do
    parts, gains = np.ascontiguousarray([turns.real, turns.imag]), np.full((2, 24), 0.01)

    def called(function: Any, *more: Any) -> Callable[[], object]:
        def run() -> object:
            x[:] = NOISE
            return function(count(frames), pointer(x), *more)

        return run

    size = count(RING)
    return {
        "compressor": called(c.compressor, pointer(compressor)),
        "bands": called(c.bands, pointer(bands)),
        "echo": called(c.echo, pointer(rings), size, pointer(echo)),
        "resonator, 24": called(
            c.resonator, count(24), pointer(parts), pointer(gains), ctypes.c_double(0.6)
        ),
        "room": called(c.room, pointer(rings), size, pointer(lengths), pointer(shelves)),
    }


def transforms(blocks: dict[int, int]) -> float:
    """What SciPy takes for so many transforms there and back of blocks of a length, in seconds."""
    total = 0.0
    for frames, count in blocks.items():
        block = RNG.standard_normal(frames).astype(np.float32)
        begun = time.perf_counter()
        for _ in range(count):
            scipy.fft.irfft(scipy.fft.rfft(block))
        total += time.perf_counter() - begun
    return total


def transforms_of(*hops: tuple[int, int]) -> Callable[[], object]:
    """Of both channels of the stream: a length, and how often it is transformed in frames."""
    return lambda: transforms({length: 2 * len(NOISE) // hop for length, hop in hops})


def ours(kind: str, made: object, settings: dict[str, float]) -> Callable[[], object]:
    """The stream through an effect, in blocks."""
    work = worker(kind, made, settings)

    def run() -> None:
        audio = NOISE.copy()
        for at in range(0, len(audio), BLOCK):
            work(audio[at : at + BLOCK])

    return run


def compare() -> None:
    """Effects in turn with their loops in C, or with the transforms that they need."""
    limits = {f"{name} in C": run for name, run in c_loops().items()}
    limits["hold in transforms"] = transforms_of((4_096, 1_024))
    sizes = ((512, 256), (8_192, 4_096), (32_768, 16_384))
    limits["embed, 6 s stereo in transforms"] = transforms_of(*sizes)
    mine = {name: ours(*CASES[name]) for name in (one.split(" in ")[0] for one in limits)}
    times = in_turn({**mine, **limits})
    for limit in limits:
        name, what = limit.split(" in ")
        say(
            name,
            f"{times[name] / times[limit]:.2f} of what {what} {'takes' if what == 'C' else 'take'}",
        )


def main() -> None:
    reference = section_share()
    say("one filter section", f"{reference:.4f} of a core")
    for name, (kind, made, settings) in CASES.items():
        share, slow = share_of(kind, made, settings)
        say(
            name,
            f"{share:.4f} of a core, p99 {slow:.3f} of a block, {share / reference:.1f} sections",
        )
    compare()
    plain, full = full_engine(False), full_engine(True)
    say(
        "24 voices x 4 layers, no effects",
        f"{plain.mean():.3f}, p99 {np.percentile(plain, 99):.3f}",
    )
    say("the same, 3 inserts each, 2 shared, 3 on the whole",
        f"{full.mean():.3f}, p99 {np.percentile(full, 99):.3f}")  # fmt: skip


if __name__ == "__main__":
    main()
