"""Measuring recordings: times real time on one core, and memory, for a long file."""

from __future__ import annotations

import resource
import tempfile
import time
from pathlib import Path

import numpy as np
import soundfile as sf

from common import say
from innerbloom.core.analysis.examine import examine

MINUTES = 10
RNG = np.random.default_rng(1)


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        for rate, channels in ((48_000, 1), (48_000, 2), (96_000, 2)):
            path = Path(folder) / "long.wav"
            with sf.SoundFile(path, "w", rate, channels, "PCM_24") as out:
                block = RNG.normal(0, 0.05, (10 * rate, channels)).astype(np.float32)
                for _ in range(6 * MINUTES):
                    out.write(block)
            start = time.process_time()
            examine(path)
            taken = time.process_time() - start
            say(
                f"{MINUTES} min at {rate} Hz, {channels} ch",
                f"{60 * MINUTES / taken:.0f} times real time",
            )
    highest = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    say("highest memory of the process", f"{highest:.0f} MB")


if __name__ == "__main__":
    main()
