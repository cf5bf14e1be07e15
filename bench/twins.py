"""Filter, saturation and wave reading against the same loops in C."""

from __future__ import annotations

import ctypes
import shutil
import subprocess
import tempfile
from pathlib import Path

import numba
import numpy as np

from common import in_turn, say
from innerbloom.core.engine.kernels.filter import run_section, set_section
from innerbloom.core.engine.kernels.grit import GRIT, HISTORY, SIDE, saturate
from innerbloom.core.engine.kernels.wave import _places, _read
from innerbloom.core.engine.state import TICK
from innerbloom.core.engine.wavetable import plain_wave

TIMES = 20_000
RNG = np.random.default_rng(2)
X = RNG.normal(0, 0.3, 2 * TICK).astype(np.float32)
COEFFICIENTS = np.zeros(6)
set_section(COEFFICIENTS, 900.0, 1.2, 0.4)
STATE = np.zeros((2, 2))
MEMORY = np.zeros(1, GRIT)
SCRATCH = np.zeros(TICK, np.float32)
PHASES = np.cumsum(np.full(TICK, 0.0123))
TABLE = plain_wave("saw")
SIZE, FIRST = int(TABLE.copies[8]["frames"]), int(TABLE.copies[8]["offset"])
WEIGHTS, INDEX = np.zeros(4 * TICK, np.float32), np.zeros(TICK, np.int32)


@numba.njit
def filters(times, x, c, state):
    for _ in range(times):
        run_section(x, 0, 2, c, c, state)


@numba.njit
def saturations(times, x, memory, scratch):
    for _ in range(times):
        saturate(x, 1, memory[0], scratch, 2.0, 0.2, 0.1)


@numba.njit
def waves(times, into, audio, phases, size, first, weights, index):
    for _ in range(times):
        _places(phases, 0.0, 0.0, size, weights, index)
        _read(into, audio, first, weights, index, 1.0, 0.0)


def pointer(array: np.ndarray) -> ctypes.c_void_p:
    return array.ctypes.data_as(ctypes.c_void_p)


def library() -> ctypes.CDLL | None:
    if shutil.which("gcc") is None:
        return None
    built = Path(tempfile.mkdtemp()) / "twins.so"
    source = Path(__file__).with_name("twins.c")
    flags = ["-O3", "-march=native", "-ffast-math", "-shared", "-fPIC"]
    subprocess.run(["gcc", *flags, str(source), "-o", str(built), "-lm"], check=True)
    return ctypes.CDLL(str(built))


def main() -> None:
    c = library()
    if c is None:
        say("C", "there is no gcc here")
        return
    mono = X[:TICK].copy()
    memory = np.zeros(3 * HISTORY, np.float32)
    scratch = np.zeros((4, HISTORY + TICK), np.float32)
    audio = TABLE.audio[FIRST - 1 :]
    count = ctypes.c_int64(TIMES)
    f, d = ctypes.c_float, ctypes.c_double
    times = in_turn({
        "filter": lambda: filters(TIMES, X.copy(), COEFFICIENTS, STATE),
        "filter C": lambda: c.filter(count, pointer(X.copy()), pointer(COEFFICIENTS), pointer(STATE)),
        "saturation": lambda: saturations(TIMES, mono.copy(), MEMORY, SCRATCH),
        "saturation C": lambda: c.saturate(count, pointer(mono.copy()), pointer(memory),
                                           pointer(scratch), pointer(SIDE), f(2.0), f(0.2), f(0.1)),
        "wave": lambda: waves(TIMES, np.zeros(TICK, np.float32), TABLE.audio, PHASES, SIZE, FIRST,
                              WEIGHTS, INDEX),
        "wave C": lambda: c.wave(count, pointer(np.zeros(TICK, np.float32)), pointer(audio),
                                 pointer(PHASES), d(0.0), d(0.0), d(SIZE), d(1.0), d(0.0), pointer(WEIGHTS),
                                 pointer(INDEX)),
    })  # fmt: skip
    for name in ("filter", "saturation", "wave"):
        each = 1e9 * times[name] / (TIMES * TICK)
        say(name, f"{each:.2f} ns a frame, {times[name] / times[name + ' C']:.2f} of C's time")


if __name__ == "__main__":
    main()
