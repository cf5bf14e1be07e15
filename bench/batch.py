"""Batches: one process against two, workers of a cluster against both, and what a recording costs to send.

`python bench/batch.py` starts a scheduler and workers on loopback. Ratios within one run count; seconds are of this machine.
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import soundfile as sf

from common import say

sys.path.insert(0, str(Path(__file__).parents[1]))
from tests.clusters import running
from tests.engines import RATE, cloud

from innerbloom.batch.pools import pool_for
from innerbloom.batch.running import Batch
from innerbloom.batch.tasks import sample_task, timbre_task
from innerbloom.core.deliver.samples.settings import SampleSettings
from innerbloom.core.deliver.samples.zones import plan
from innerbloom.core.engine import compile_program
from innerbloom.store.files import FileStore
from innerbloom.store.linked import link
from innerbloom.store.prepared import DiskMaterials

SETTINGS = {
    "key_low": 36,
    "key_high": 96,
    "step": 4,
    "placing": "evenly",
    "velocities": 2,
    "seconds": 5,
}
RECORDINGS = 60


def tasks_of(store: FileStore, folder: Path) -> dict[str, list]:
    """Notes of an instrument, and recordings to be measured."""
    random = np.random.default_rng(1)
    digests = []
    for number in range(RECORDINGS):
        path = folder / f"{number}.wav"
        sf.write(path, 0.1 * random.standard_normal(20 * RATE), RATE, "PCM_24")
        digests.append(link(store, path))
    document = cloud(root=57.0, position_scatter=30, density=60, release=800)
    document.layers[0].sounds[0].recording, document.layers[0].sounds[0].path = digests[0], None
    settings = SampleSettings.model_validate(SETTINGS)
    zones = plan(compile_program(document, DiskMaterials(store)), settings)
    plain, asked = document.model_dump(mode="json"), settings.model_dump(mode="json")
    notes = [sample_task(plain, asked, zone) for zone in zones]
    return {"notes": notes, "recordings": [timbre_task(one) for one in digests]}


def seconds(tasks: list, store: FileStore, **how) -> float:
    """How long a batch takes once its workers are there and warm."""
    with pool_for(store, len(tasks), **how) as pool:
        # a task for each worker before the clock starts: kernels are loaded
        list(Batch(tasks[: 2 * max(1, pool.width())], store, pool))
        start = time.perf_counter()
        done = sum(1 for _, outcome in Batch(tasks, store, pool) if not outcome.error)
        taken = time.perf_counter() - start
    assert done == len(tasks)
    return taken


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder)
        store = FileStore(root / "project")
        every = tasks_of(store, root)
        found: dict[str, dict[str, float]] = {name: {} for name in every}

        def measure(way: str, **how) -> None:
            for name, tasks in every.items():
                found[name][way] = min(seconds(tasks, store, **how) for _ in range(2))

        measure("1 process", count=1)
        measure("2 processes", count=2)
        for count in (1, 2):
            logs = root / f"cluster{count}"
            logs.mkdir()
            # one cluster at a time: idle workers take something, too
            with running(logs, count) as cluster:
                measure(f"{count} worker{'s' if count > 1 else ''}", scheduler=cluster.address)
        for name, tasks in every.items():
            for way, taken in found[name].items():
                rate, share = 60.0 * len(tasks) / taken, found[name]["1 process"] / taken
                say(
                    f"{name}, {way}",
                    f"{taken:.1f} s, {rate:.0f} a minute, {share:.2f} of one process",
                )


if __name__ == "__main__":
    main()
