"""What the benchmarks share: timing in turn, so that ratios hold on a noisy machine."""

from __future__ import annotations

import ctypes
import shutil
import subprocess
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np


def in_turn(candidates: dict[str, Callable[[], object]], rounds: int = 9) -> dict[str, float]:
    """Median seconds of each candidate, run A B C, A B C … after one warm-up."""
    times: dict[str, list[float]] = {name: [] for name in candidates}
    for run in candidates.values():
        run()
    for _ in range(rounds):
        for name, run in candidates.items():
            start = time.perf_counter()
            run()
            times[name].append(time.perf_counter() - start)
    return {name: float(np.median(found)) for name, found in times.items()}


def compiled_c(source: Path) -> ctypes.CDLL | None:
    """What gcc makes of a file of C, as fast as it can; None where there is no gcc."""
    if shutil.which("gcc") is None:
        return None
    built = Path(tempfile.mkdtemp()) / f"{source.stem}.so"
    flags = ["-O3", "-march=native", "-ffast-math", "-shared", "-fPIC"]
    subprocess.run(["gcc", *flags, str(source), "-o", str(built), "-lm"], check=True)
    return ctypes.CDLL(str(built))


def pointer(array: np.ndarray) -> ctypes.c_void_p:
    """Where an array lies, as C is told."""
    return array.ctypes.data_as(ctypes.c_void_p)


def say(name: str, value: str) -> None:
    print(f"{name:<46} {value}")


def stolen() -> tuple[int, int]:
    """Ticks of all processors, and those that the host kept for itself."""
    ticks = [int(word) for word in Path("/proc/stat").read_text().split("\n")[0].split()[1:9]]
    return sum(ticks), ticks[7]
