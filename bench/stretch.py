"""Every recording in some folders made half, twice and four times as long: what fails, and the levels.

python bench/stretch.py FOLDER [FOLDER ...] [--most 12]
"""

from __future__ import annotations

import argparse
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path

import numpy as np

from common import say
from innerbloom.core.errors import BloomError
from innerbloom.core.process.stretch import stretch
from innerbloom.core.sound.files import read_stretch
from innerbloom.core.sound.levels import loudness

RATIOS = (0.5, 2.0, 4.0)
SOUNDS = (".wav", ".ogg", ".flac", ".opus", ".aif", ".aiff")
LEAST_LUFS = -60.0


def measure(path: Path, most_s: float) -> list[tuple[str, float, str, float, float]]:
    """Name, ratio, what is wrong, peak in dBFS and loudness against the recording's, in LU, of each."""
    try:
        samples, rate = read_stretch(path, 0.0, None, most_s)
    except BloomError:
        return []
    before, out = loudness(samples, rate), []
    for ratio in RATIOS:
        try:
            made = stretch(samples, rate, ratio)
        except BloomError as problem:
            out.append((path.name, ratio, str(problem), 0.0, float("nan")))
            continue
        wrong = "" if np.isfinite(made).all() else "no number"
        if len(made) != round(len(samples) * ratio):
            wrong = "another length"
        peak = 20.0 * np.log10(max(float(np.abs(made).max(initial=0.0)), 1e-9))
        after = loudness(made, rate)
        # too short or too quiet for a loudness
        apart = after - before if min(before, after) > LEAST_LUFS else float("nan")
        out.append((path.name, ratio, wrong, float(peak), apart))
    return out


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("folders", nargs="+", type=Path)
    parser.add_argument("--most", type=float, default=12.0, help="seconds of each")
    asked = parser.parse_args()
    paths = [one for folder in asked.folders for one in sorted(folder.rglob("*"))
             if one.suffix.lower() in SOUNDS]  # fmt: skip
    with ProcessPoolExecutor() as pool:
        found = list(pool.map(partial(measure, most_s=asked.most), paths))
    rows = [row for one in found for row in one]
    say("recordings", str(sum(bool(one) for one in found)))
    for ratio in RATIOS:
        here = [row for row in rows if row[1] == ratio]
        wrong = [row for row in here if row[2]]
        apart = np.array([row[4] for row in here])
        peaks = np.array([row[3] for row in here])
        say(f"to {ratio:g} times: went wrong", str(len(wrong)))
        for row in wrong:
            print(f"    {row[0]}: {row[2]}")
        say("... above full scale, highest", f"{np.sum(peaks > 0)}, {peaks.max():.1f} dBFS")
        low, middle, high = np.nanpercentile(apart, [1, 50, 99])
        say(
            "... loudness against the recording",
            f"{low:.1f} {middle:.1f} {high:.1f} LU (1, 50, 99 %)",
        )


if __name__ == "__main__":
    main()
