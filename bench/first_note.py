"""The first note of every recording in a folder: loudness, holes, flutter, width, evolution.

    python bench/first_note.py FOLDER [--csv FILE] [--seconds 30] [--notes 5]

Each recording is grown into an instrument as on the shelf and played at its root, several times with
other chances. *flutter* is the modulation index from 2 to 10 Hz and stands beside the source's own.
"""

from __future__ import annotations

import argparse
import csv
from concurrent.futures import ProcessPoolExecutor
from dataclasses import asdict
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from common import say
from innerbloom.core.analysis.evolution import evolution, flutter
from innerbloom.core.analysis.opening import find_opening
from innerbloom.core.deliver.first_note import first_note, grow_file, program_of
from innerbloom.core.errors import BloomError
from innerbloom.core.sound.files import read_stretch
from innerbloom.core.sound.levels import loudness

WANTED_LUFS = -24.0
SETTLED_S = 1.0
NOTE_S = 6.0


def measure(path: Path, seconds: float, notes: int) -> dict[str, Any] | None:
    """What is found of one recording; None for a file that is no sound."""
    try:
        document = grow_file(path)
        samples, rate = read_stretch(path, 0.0, None, 60.0)
    except BloomError as problem:
        print(f"{path.name}: {problem}")
        return None
    lufs, sound = [], np.zeros((0, 2), np.float32)
    for seed in range(notes, 0, -1):
        document.settings.seed = seed  # type: ignore[attr-defined]
        sound = first_note(program_of(document, path), document, seconds if seed == 1 else NOTE_S)
        sound = sound[round(SETTLED_S * 48_000) :]
        lufs.append(loudness(sound, 48_000))
    opening = find_opening(samples, rate)
    first = max(0, round((opening.middle_s - opening.span_s / 2) * rate))
    there = samples[first : first + round(opening.span_s * rate)]
    return {
        "name": path.name,
        "character": opening.character,
        "span_s": opening.span_s,
        "lufs": float(np.median(lufs)),
        "worst_lu": float(np.abs(np.array(lufs) - WANTED_LUFS).max()),
        "source_flutter": flutter(there, rate) if opening.span_s >= 1.0 else float("nan"),
        **asdict(evolution(sound, 48_000)),
    }


def summary(rows: list[dict[str, Any]]) -> None:
    for character in ("steady", "changing", "noisy", "striking", "all"):
        found = [one for one in rows if character in ("all", one["character"])]
        if not found:
            continue

        def column(name: str, found: list[dict[str, Any]] = found) -> np.ndarray:
            return np.array([one[name] for one in found])

        added = column("flutter") - np.nan_to_num(column("source_flutter"))
        say(f"{character}: recordings", str(len(found)))
        say("  LUFS of the first note, 5th, 50th, 95th", _three(column("lufs")))
        say("  within 2 LU of -24 each time", _share(column("worst_lu") <= 2.0))
        say("  lowest 20 ms against the median, dB", _three(column("lowest_db")))
        say("  lowest within 8 dB", _share(column("lowest_db") >= -8.0))
        say("  flutter", _three(column("flutter")))
        say("  flutter at most 0.1 above the source's", _share(added <= 0.1))
        say("  side against middle, dB", _three(column("side_db")))
        say("  side from -12 to -3 dB", _share(np.abs(column("side_db") + 7.5) <= 4.5))
        say("  timbre moves further in 30 s than in 1 s", _share(column("far") > column("near")))


def _three(values: np.ndarray) -> str:
    low, middle, high = np.percentile(values[np.isfinite(values)], [5, 50, 95])
    return f"{low:7.2f} {middle:7.2f} {high:7.2f}"


def _share(kept: np.ndarray) -> str:
    return f"{kept.sum()} of {len(kept)}"


def main() -> None:
    told = argparse.ArgumentParser(description=__doc__)
    told.add_argument("folder", type=Path)
    told.add_argument("--csv", type=Path)
    told.add_argument("--seconds", type=float, default=30.0)
    told.add_argument("--notes", type=int, default=5)
    chosen = told.parse_args()
    paths = sorted(one for one in chosen.folder.rglob("*") if one.is_file())
    with ProcessPoolExecutor() as pool:
        work = partial(measure, seconds=chosen.seconds, notes=chosen.notes)
        rows = [one for one in pool.map(work, paths, chunksize=4) if one]
    summary(rows)
    if chosen.csv and rows:
        with chosen.csv.open("w", newline="") as file:
            out = csv.DictWriter(file, list(rows[0]))
            out.writeheader()
            out.writerows(rows)


if __name__ == "__main__":
    main()
