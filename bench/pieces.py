"""A recording of 500 strikes in pieces: found by default, all kept, by the clock of a project served here.

One alone first, which starts the worker.
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np
import soundfile as sf
from numpy.typing import NDArray

from common import say, stolen

sys.path.insert(0, str(Path(__file__).parents[1]))
from tests.servers import Server, running

RATE, COUNT, APART_S = 48_000, 500, 0.4


def strikes() -> NDArray[np.float64]:
    """Struck plates of three partials each, over a floor of noise at -80 dB; shape (n, 2)."""
    rng = np.random.default_rng(3)
    sound = 1e-4 * rng.standard_normal((round((COUNT + 1) * APART_S * RATE), 2))
    time_s = np.arange(round(0.35 * RATE)) / RATE
    for number in range(COUNT):
        at = round((0.2 + number * APART_S) * RATE)
        hz = 200.0 * 2 ** rng.uniform(0, 3)
        parts = (np.sin(2 * np.pi * hz * by * time_s) for by in (1.0, 2.76, 5.40))
        one = 0.2 * sum(parts) * np.exp(-time_s * rng.uniform(8, 25))
        sound[at : at + len(one)] += (10 ** rng.uniform(-0.5, 0) * one)[:, None]
    return sound


def main() -> None:
    folder = Path(tempfile.mkdtemp())
    sf.write(folder / "strikes.wav", strikes(), RATE, "PCM_24")
    with running(folder / "project") as server:
        server.add(folder / "strikes.wav")
        begun = time.monotonic()
        shown = server.json("GET", "/api/recordings/1/pieces/found")
        say("found by default", f"{len(shown['pieces'])} in {time.monotonic() - begun:.1f} s")
        pieces = [
            {"name": f"strike {number}", "start": one["start"], "end": one["end"]}
            for number, one in enumerate(shown["pieces"][:COUNT])
        ]
        keep(server, [{**pieces[0], "name": "first", "end": pieces[0]["end"] - 0.01}])
        keep(server, pieces)


def keep(server: Server, pieces: list[dict[str, Any]]) -> None:
    all_before, host_before = stolen()
    begun = time.monotonic()
    job = server.json("POST", "/api/recordings/1/bench/keep", {"pieces": pieces})["job"]
    ended = server.ended(job, 300)
    took = time.monotonic() - begun
    every, host = stolen()
    assert ended["state"] == "done", ended
    share = (host - host_before) / max(1, every - all_before)
    say(f"{len(pieces)} kept", f"{took:.1f} s (the host kept {share:.0%})")


if __name__ == "__main__":
    main()
