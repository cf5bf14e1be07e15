"""What the benchmarks share: timing in turn, so that ratios hold on a noisy machine."""

from __future__ import annotations

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


def say(name: str, value: str) -> None:
    print(f"{name:<46} {value}")


def stolen() -> tuple[int, int]:
    """Ticks of all processors, and those that the host kept for itself."""
    ticks = [int(word) for word in Path("/proc/stat").read_text().split("\n")[0].split()[1:9]]
    return sum(ticks), ticks[7]
