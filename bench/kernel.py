"""The grain kernel against the same loop in C, and against plain NumPy."""

from __future__ import annotations

import ctypes
from pathlib import Path

import numba
import numpy as np

from common import compiled_c, in_turn, pointer, say
from innerbloom.core.layers.cloud.grain import add_grain

COUNT, FRAMES, STEP = 20_000, 64, 2.04
RNG = np.random.default_rng(1)
AUDIO = RNG.normal(0, 0.1, (1_500_000, 2)).astype(np.float32)
# grains of one cloud read from about one place
PLACES = 300_000 + RNG.uniform(0, 60_000, COUNT)
OUT = np.zeros(2 * FRAMES, np.float32)
WEIGHTS = np.zeros(4 * FRAMES, np.float32)
INDEX = np.zeros(FRAMES, np.int32)
MOVED = np.zeros(FRAMES)


@numba.njit
def many(out, audio, places, step, weights, index):
    for r in range(len(places)):
        add_grain(
            out, audio, 2, 4, 768_000, 0, 64, places[r], step, MOVED, 0.0,
            100.0, 6720.0, 3360.0, 3360.0, 0.5, 0.6, weights, index,
        )  # fmt: skip


def plain(count: int) -> None:
    """The same sums with whole-array NumPy, one grain at a time."""
    i = np.arange(FRAMES)
    for place in PLACES[:count]:
        p = np.clip(place + i * STEP, 0, 768_000)
        whole = p.astype(np.int64)
        t = (p - whole).astype(np.float32)
        x = np.clip(np.minimum((100 + i) / 3360, (6620 - i) / 3360), 0, 1)
        window = (0.5 - 0.5 * np.cos(np.pi * x)).astype(np.float32)
        u = 1 - t
        a, b, d = u**3 / 6, ((3 * t - 6) * t * t + 4) / 6, t**3 / 6
        j = whole + 4
        mixed = sum(
            (window * w)[:, None] * AUDIO[j + k]
            for w, k in ((a, -1), (b, 0), (1 - a - b - d, 1), (d, 2))
        )
        OUT[:] += (mixed * np.array([0.5, 0.6], np.float32)).reshape(-1)


def c_version():
    library = compiled_c(Path(__file__).with_name("grain.c"))
    if library is None:
        return None
    function = library.many
    args = (
        ctypes.c_int64(COUNT), pointer(OUT), pointer(AUDIO), pointer(PLACES), ctypes.c_double(STEP),
        pointer(WEIGHTS), pointer(INDEX),
    )  # fmt: skip
    return lambda: function(*args)


def main() -> None:
    few = COUNT // 40
    candidates = {
        "ours": lambda: many(OUT, AUDIO.reshape(-1), PLACES, STEP, WEIGHTS, INDEX),
        "numpy": lambda: plain(few),
    }
    in_c = c_version()
    if in_c:
        candidates["c"] = in_c
    times = in_turn(candidates)
    ours = times["ours"] / (COUNT * FRAMES)
    say("our kernel", f"{1e9 * ours:.1f} ns a grain-sample")
    if in_c:
        say(
            "against gcc -O3 -march=native -ffast-math",
            f"{times['ours'] / times['c']:.2f} of C's time",
        )
    say("against plain NumPy", f"{times['numpy'] / (few * FRAMES) / ours:.0f} times faster")


if __name__ == "__main__":
    main()
