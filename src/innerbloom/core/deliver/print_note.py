"""A note or chord of an instrument as a sound that can be played again: levelled, its loop found."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.analysis.loops import find_loops
from innerbloom.core.engine import ENGINE_RATE
from innerbloom.core.errors import BloomError
from innerbloom.core.prepare.clip import Clip
from innerbloom.core.sound.crossfade import crossfaded
from innerbloom.core.sound.loop import Loop
from innerbloom.core.units import db_to_gain

PEAK_DBFS = -0.3
_LEAST_LOOP_S = 0.4
_FROM, _UNTIL = 0.15, 0.95
"""Where in the time that the key is held a loop is looked for: past the attack, before the end."""


def printed(sound: NDArray[np.float32], root: float, held_s: float) -> Clip:
    """A rendered note with its highest sample at -0.3 dBFS, and the best loop of what is held.

    Parameters
    ----------
    sound : ndarray, shape (frames, 2) at 48 kHz
    root : float
        MIDI note that it sounds at: that of the lowest key.
    held_s : float
        How long the key was held.

    Raises
    ------
    BloomError
        If it is silent.
    """
    peak = float(np.abs(sound).max(initial=0.0))
    if peak < 1e-6:
        raise BloomError("The note is silent: choose another key, or look at the layers' levels.")
    level = (sound * np.float32(db_to_gain(PEAK_DBFS) / peak)).astype(np.float32)
    clip = Clip(level, ENGINE_RATE, root=root, root_how="given")
    found = best_loop(level, held_s)
    if found is None:
        return clip
    start, end, _ = found
    return clip.with_samples(closed(level, *found), loop=Loop(start, end))


def best_loop(
    sound: NDArray[np.float32], held_s: float, rate: int = ENGINE_RATE
) -> tuple[int, int, int] | None:
    """First frame, one past the last, and the crossfade of the best loop of a held note; None for none."""
    first, last = (round(share * held_s * rate) for share in (_FROM, _UNTIL))
    try:
        loops, _ = find_loops(sound[first:last], rate, least_s=_LEAST_LOOP_S, most=1)
    except BloomError:
        return None
    if not loops:
        return None
    best = loops[0]
    return best.start + first, best.end + first, best.crossfade


def closed(sound: NDArray[np.float32], start: int, end: int, crossfade: int) -> NDArray[np.float32]:
    """A copy whose loop goes on without a seam: its end crossfaded into what comes before its start."""
    samples = sound.copy()
    fade = min(crossfade, start, end - start)
    if fade > 0:
        samples[end - fade : end] = crossfaded(
            samples, end - fade, start - fade, fade, "equal power"
        )
    return samples
