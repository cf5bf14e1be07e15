"""A loop that stands for one of another recording."""

from __future__ import annotations

from pathlib import Path

from innerbloom.core.analysis.loops import LEAST_S, find_loops
from innerbloom.core.declare.sound import MAX_STRETCH_S, Sound
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.layering import FoundLoop
from innerbloom.core.sound.files import read_stretch

_AS_LONG = 0.5
"""Share of a loop's length that one has to have to stand for it."""


def loop_like(path: Path, sound: Sound, length_ms: float) -> FoundLoop | None:
    """The loop in a sound that closes best among those at least half as long as one of another sound.

    None where the sound is too short or silent.
    """
    samples, rate = read_stretch(path, sound.start, sound.length, MAX_STRETCH_S)
    least = max(LEAST_S, _AS_LONG * length_ms / 1000.0)
    if len(samples) < 3 * least * rate:
        return None
    try:
        found, _ = find_loops(samples, rate, least_s=least)
    except BloomError:
        return None
    if not found:
        return None
    best = max(found, key=lambda one: one.closes)
    frames = best.end - best.start
    crossfade = 100.0 * min(1.0, best.crossfade / frames)
    return FoundLoop(
        best.start / len(samples), 1000.0 * frames / rate, crossfade=crossfade, curve=best.curve
    )
