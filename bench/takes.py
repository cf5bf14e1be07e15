"""What takes cost: recording beside playing, and finding moments, as shares of the time that sounds.

Run as ``python bench/takes.py``. Playing with and without recording is done by turns, so that both meet
the same machine.
"""

from __future__ import annotations

import statistics
import tempfile
import time
from pathlib import Path

import numpy as np
import soundfile as sf

from innerbloom.core.analysis.moments import find_moments
from innerbloom.core.analysis.take_features import FeatureCollector
from innerbloom.core.deliver.first_note import grow_file, program_of
from innerbloom.core.engine import BLOCK, ENGINE_RATE, Engine
from innerbloom.core.engine.history import History
from innerbloom.core.performance.events import Event
from innerbloom.live.take_recording import TakeRecording

SECONDS, TURNS = 20.0, 6
MINUTES = 10


def playing(program, document, folder: Path | None) -> float:  # type: ignore[no-untyped-def]
    """Seconds of all threads for playing, recorded into a folder or not."""
    engine = Engine(program, limited=False)
    history = History(engine, document)
    began = time.process_time()
    recording = (
        None if folder is None else TakeRecording("a" * 32, folder, history, {"name": "bench"})
    )
    for number in range(round(SECONDS * ENGINE_RATE / BLOCK)):
        events = [Event("pad_across", value=np.sin(number / 40), time=engine.now)]
        if number % 100 == 0:
            events += [Event("on", number, 48.0 + number // 100 % 24, 0.8, engine.now),
                       Event("off", max(0, number - 300), time=engine.now)]  # fmt: skip
        sound = engine.render(BLOCK, events)
        if recording is not None:
            recording.sound(sound)
    if recording is not None:
        recording.stop()
        recording.wait()
    return time.process_time() - began


def main() -> None:
    rng = np.random.default_rng(1)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        t = np.arange(3 * ENGINE_RATE) / ENGINE_RATE
        sf.write(folder / "tone.wav", 0.3 * np.sin(2 * np.pi * 220 * t), ENGINE_RATE)
        document = grow_file(folder / "tone.wav")
        program = program_of(document, folder / "tone.wav")
        plain = document.model_dump(mode="json")
        playing(program, plain, None)
        both = [
            (playing(program, plain, None), playing(program, plain, folder / f"{turn}"))
            for turn in range(TURNS)
        ]
    more = statistics.median(on - off for off, on in both) / SECONDS
    print(f"recording takes {100 * more:.2f} % of a core more than playing alone")
    sound = np.zeros((MINUTES * 60 * ENGINE_RATE, 2), np.float32)
    for at in rng.uniform(0, MINUTES * 60 - 5, 80):
        first = round(at * ENGINE_RATE)
        tone = np.sin(2 * np.pi * rng.uniform(80, 2_000) * t) * np.exp(-t / rng.uniform(0.2, 2))
        sound[first : first + len(t)] += 0.3 * tone[:, None].astype(np.float32)
    began = time.perf_counter()
    collector = FeatureCollector(ENGINE_RATE)
    for first in range(0, len(sound), 1 << 16):
        collector.feed(sound[first : first + (1 << 16)])
    features = collector.features(lambda at, count: sound[at : at + count], ENGINE_RATE)
    found = find_moments(features)
    took = time.perf_counter() - began
    print(
        f"{len(found)} moments of {MINUTES} min found in 1/{MINUTES * 60 / took:.0f} of its length"
    )


if __name__ == "__main__":
    main()
