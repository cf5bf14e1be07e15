"""How fast stems of a two-minute film with four lanes are measured and written, against real time."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import numpy as np
import soundfile as sf

from innerbloom.core.deliver.stems import hand_over_stems
from innerbloom.core.sound.resampled import ResampledSource
from innerbloom.core.timeline.document import Clip, Timeline, parse_timeline
from innerbloom.core.timeline.measure import measure
from innerbloom.core.timeline.mix import MIX_RATE, TimelineMix

SECONDS, LANES = 120, 4


def sounds(folder: Path) -> dict[str, Path]:
    """Two recordings, of which one has to be resampled."""
    rng = np.random.default_rng(1)
    found = {}
    for digit, rate in (("0", 48_000), ("1", 44_100)):
        path = folder / f"{rate}.wav"
        sf.write(path, rng.uniform(-0.2, 0.2, (40 * rate, 2)), rate, "PCM_24")
        found[digit * 64] = path
    return found


def film() -> Timeline:
    """Every lane full of clips that cross over."""
    lanes = []
    for lane in range(LANES):
        clips = [
            {"id": f"c{lane}x{n}", "name": "noise", "recording": str((lane + n) % 2) * 64,
             "start": 24 * 30 * n, "seconds": 33.0, "levels": [{"at": 0, "db": 0}, {"at": 20, "db": -6}]}
            for n in range(SECONDS // 30)
        ]  # fmt: skip
        lanes.append({"id": f"l{lane}", "name": f"Lane {lane}", "clips": clips})
    return parse_timeline({"name": "Film", "rate": "24", "frames": 24 * SECONDS, "lanes": lanes})


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        paths = sounds(Path(folder))

        def mix() -> TimelineMix:
            return TimelineMix(film(), lambda clip: ResampledSource(_path(clip, paths), MIX_RATE))

        measure(mix())
        start = time.perf_counter()
        found = measure(mix())
        measured = time.perf_counter()
        hand_over_stems(mix(), found, Path(folder) / "out", [])
        ended = time.perf_counter()
    print(f"measured at {SECONDS / (measured - start):.1f} times real time")
    print(f"handed over at {SECONDS / (ended - measured):.1f} times real time")
    print(f"both at {SECONDS / (ended - start):.1f} times real time (4 asked)")


def _path(clip: Clip, paths: dict[str, Path]) -> Path:
    assert clip.recording is not None
    return paths[clip.recording]


if __name__ == "__main__":
    main()
