"""What takes cost: recording beside playing, dropouts, and finding moments in what was recorded.

Run as ``python bench/takes.py``. What recording takes is measured by itself, since the difference
between playing with and without it is lost in what a shared machine does meanwhile. Dropouts are
counted at the pace of sound, with and without recording in turn, by the ring that a page keeps.
"""

from __future__ import annotations

import argparse
import statistics
import tempfile
import time
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import soundfile as sf

from common import say
from innerbloom.core.analysis.moments import find_moments
from innerbloom.core.analysis.take_features import FeatureCollector
from innerbloom.core.deliver.first_note import grow_file, program_of
from innerbloom.core.engine import BLOCK, ENGINE_RATE, Engine
from innerbloom.core.engine.history import History
from innerbloom.core.engine.program import Program
from innerbloom.core.performance.events import Event
from innerbloom.live.take_recording import TakeRecording

SECONDS, TURNS = 20.0, 6
PACED_S, RING = 10.0, 6
"""Length of a turn at the pace of sound, and blocks that a page keeps ahead."""

MINUTES = 10
T = np.arange(3 * ENGINE_RATE) / ENGINE_RATE


class Stage(NamedTuple):
    """What is played, and where takes of it go."""

    program: Program
    document: dict[str, Any]
    folder: Path

    def recording(self, history: History, name: str) -> TakeRecording:
        return TakeRecording("a" * 32, self.folder / name, history, {"name": "bench"})


def events_of(number: int, now: int) -> list[Event]:
    """A hand on the pad in every block, and a note in every hundredth."""
    made = [Event("pad_across", value=np.sin(number / 40), time=now)]
    if number % 100 == 0:
        made += [
            Event("on", number, 48.0 + number // 100 % 24, 0.8, now),
            Event("off", max(0, number - 300), time=now),
        ]
    return made


def recording_share(stage: Stage, name: str) -> tuple[float, float]:
    """Share of a core that recording takes by itself, writing included, and the longest time, in ms,
    for which it kept the thread that plays; what the machine did meanwhile aside."""
    engine = Engine(stage.program, limited=False)
    history = History(engine, stage.document)
    recording = stage.recording(history, name)
    sound = np.zeros((BLOCK, 2), np.float32)
    began, longest = time.process_time(), 0
    for number in range(round(SECONDS * ENGINE_RATE / BLOCK)):
        before = time.thread_time_ns()
        for event in events_of(number, number * BLOCK):
            for listener in history.listeners:
                listener(event)
        recording.sound(sound)
        longest = max(longest, time.thread_time_ns() - before)
    recording.stop()
    recording.wait()
    return (time.process_time() - began) / SECONDS, 1e-6 * longest


def dropouts(stage: Stage, name: str | None) -> int:
    """Blocks that come too late at the pace of sound, recorded under a name or not."""
    engine = Engine(stage.program)
    history = History(engine, stage.document)
    recording = None if name is None else stage.recording(history, name)
    block_s, late = BLOCK / ENGINE_RATE, 0
    due = time.perf_counter() + RING * block_s
    for number in range(round(PACED_S / block_s)):
        sound = engine.render(BLOCK, events_of(number, engine.now))
        if recording is not None:
            recording.sound(sound)
        now = time.perf_counter()
        if now > due:
            # the ring has run empty, and is filled before sound goes on
            late, due = late + 1, now + RING * block_s
        due += block_s
        time.sleep(max(0.0, due - RING * block_s - now))
    if recording is not None:
        recording.stop()
        recording.wait()
    return late


def find(rng: np.random.Generator) -> None:
    """Moments of ten minutes of decaying tones."""
    sound = np.zeros((MINUTES * 60 * ENGINE_RATE, 2), np.float32)
    for at in rng.uniform(0, MINUTES * 60 - 5, 80):
        first = round(at * ENGINE_RATE)
        tone = np.sin(2 * np.pi * rng.uniform(80, 2_000) * T) * np.exp(-T / rng.uniform(0.2, 2))
        sound[first : first + len(T)] += 0.3 * tone[:, None].astype(np.float32)
    began = time.perf_counter()
    collector = FeatureCollector(ENGINE_RATE)
    for first in range(0, len(sound), 1 << 16):
        collector.feed(sound[first : first + (1 << 16)])
    features = collector.features(lambda at, count: sound[at : at + count], ENGINE_RATE)
    found = find_moments(features)
    took = time.perf_counter() - began
    say(f"{len(found)} moments of {MINUTES} min", f"in 1/{MINUTES * 60 / took:.0f} of its length")


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--minutes", type=float, default=1.0, help="At the pace of sound, each.")
    minutes = parser.parse_args().minutes
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        sf.write(folder / "tone.wav", 0.3 * np.sin(2 * np.pi * 220 * T), ENGINE_RATE)
        document = grow_file(folder / "tone.wav")
        program = program_of(document, folder / "tone.wav")
        stage = Stage(program, document.model_dump(mode="json"), folder)
        found = [recording_share(stage, f"share {turn}") for turn in range(TURNS)]
        share = statistics.median(share for share, _ in found)
        say("recording by itself", f"{100 * share:.2f} % of a core")
        ring_ms = 1e3 * RING * BLOCK / ENGINE_RATE
        longest = max(longest for _, longest in found)
        say("longest that it held a block up", f"{longest:.1f} ms of the {ring_ms:.0f} kept ready")
        late = {"idle": 0, "recording": 0}
        for turn in range(round(60 * minutes / PACED_S)):
            late["idle"] += dropouts(stage, None)
            late["recording"] += dropouts(stage, f"paced {turn}")
        for state, count in late.items():
            say(f"dropouts in {60 * minutes:.0f} s, {state}", str(count))
    find(np.random.default_rng(1))


if __name__ == "__main__":
    main()
