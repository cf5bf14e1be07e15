"""The pitch track against librosa's probabilistic YIN: time and accuracy on the same files."""

from __future__ import annotations

import sys
from pathlib import Path

import librosa
import numpy as np

from common import in_turn, say
from innerbloom.core.analysis.track import pitch_track

sys.path.insert(0, str(Path(__file__).parents[1]))
from tests.sounds import RATE, gliding_tone, shaped

T = np.arange(8 * RATE) / RATE
CURVES = {
    "vibrato": 220 * 2 ** (0.3 / 12 * np.sin(2 * np.pi * 5.5 * T)),
    "glide": 150 * 2 ** (T / 8),
    "drift": 330 * 2 ** (0.2 / 12 * np.sin(2 * np.pi * 0.4 * T)),
}


def pyin(samples: np.ndarray) -> np.ndarray:
    found, _, _ = librosa.pyin(
        samples, fmin=60, fmax=1_000, sr=RATE, frame_length=4_096, hop_length=480
    )
    return found


def off(times: np.ndarray, hz: np.ndarray, wanted: np.ndarray) -> np.ndarray:
    inside = np.isfinite(hz) & (hz > 0) & (times > 0.2) & (times < T[-1] - 0.2)
    return np.abs(1200 * np.log2(hz[inside] / np.interp(times[inside], T, wanted)))


def main() -> None:
    rng = np.random.default_rng(1)
    for name, wanted in CURVES.items():
        samples = gliding_tone(wanted) + 0.01 * rng.standard_normal(len(T))
        times = in_turn(
            {
                "ours": lambda x=samples: pitch_track(shaped(x), RATE),
                "pyin": lambda x=samples: pyin(x),
            },
            3,
        )
        track, other = pitch_track(shaped(samples), RATE), pyin(samples)
        mine = off(track.times, track.hz, wanted)
        theirs = off(librosa.times_like(other, sr=RATE, hop_length=480), other, wanted)
        say(
            f"{name}: times faster than pYIN",
            f"{times['pyin'] / times['ours']:.1f}, median {np.median(mine):.1f} against "
            f"{np.median(theirs):.1f} ct, p95 {np.percentile(mine, 95):.1f} against "
            f"{np.percentile(theirs, 95):.1f} ct",
        )


if __name__ == "__main__":
    main()
