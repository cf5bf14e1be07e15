"""A loop in a sound: its points, its crossfade, and playing it."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.errors import BloomError
from innerbloom.core.sound.crossfade import crossfaded
from innerbloom.core.sound.loop import Curve, Loop


def check_loop(frames: int, loop: Loop, crossfade: int = 0) -> None:
    """Raise a BloomError where the loop does not fit the sound or its crossfade."""
    if not 0 <= loop.start <= loop.end <= frames:
        raise BloomError("The loop lies outside the sound: move its start and end inside.")
    if loop.end - loop.start < 2:
        raise BloomError("A loop needs at least 2 samples: move its end away from its start.")
    if crossfade > loop.end - loop.start:
        raise BloomError("The crossfade is longer than the loop: shorten it or lengthen the loop.")


def room_for_crossfade(frames: int, loop: Loop) -> int:
    """The longest crossfade there is material for, in frames."""
    length = loop.end - loop.start
    if loop.direction == "back-and-forth":
        return 0
    outside = loop.start if loop.direction == "forward" else frames - loop.end
    return max(0, min(length, outside))


@dataclass(frozen=True)
class CrossfadeOffers:
    """Loops that have room for a crossfade; None where there is no such loop.

    Attributes
    ----------
    moved : Loop or None
        As long as it was, moved until there is enough sound outside it.
    shortened : Loop or None
        Its other edge kept, so that what it gives up lies outside it.
    """

    moved: Loop | None
    shortened: Loop | None


def offers_for_crossfade(frames: int, loop: Loop, crossfade: int) -> CrossfadeOffers:
    """Where a loop could lie so that a crossfade longer than its room fits."""
    missing = crossfade - room_for_crossfade(frames, loop)
    if missing <= 0 or loop.direction == "back-and-forth":
        return CrossfadeOffers(None, None)
    if loop.direction == "forward":
        moved = replace(loop, start=loop.start + missing, end=loop.end + missing)
        shortened = replace(loop, start=loop.start + missing)
    else:
        moved = replace(loop, start=loop.start - missing, end=loop.end - missing)
        shortened = replace(loop, end=loop.end - missing)
    return CrossfadeOffers(*(_if_it_fits(frames, one, crossfade) for one in (moved, shortened)))


def _if_it_fits(frames: int, loop: Loop, crossfade: int) -> Loop | None:
    inside = loop.start >= 0 and loop.end <= frames and loop.end - loop.start >= 2
    return loop if inside and room_for_crossfade(frames, loop) >= crossfade else None


def bake_crossfade(
    samples: NDArray[np.float32], loop: Loop, crossfade: int, curve: Curve
) -> NDArray[np.float32]:
    """The sound with the crossfade laid into the end of its loop.

    A forward loop's last frames blend into what comes before its start, so that jumping
    from the end to the start goes on where the blend arrived; a backward loop's first frames
    blend into what comes after its end. Back-and-forth has no jump and needs none. The
    crossfade is shortened to the material there is, and its level held (:mod:`.crossfade`).

    Parameters
    ----------
    samples : ndarray, shape (frames, channels)
    crossfade : int
        Frames; 0 leaves the seam as it is.

    Raises
    ------
    BloomError
        If the loop lies outside or the crossfade is longer than the loop.
    """
    check_loop(len(samples), loop, crossfade)
    crossfade = min(crossfade, room_for_crossfade(len(samples), loop))
    if crossfade < 1:
        return samples
    a, b = loop.start, loop.end
    out = samples.copy()
    if loop.direction == "forward":
        out[b - crossfade : b] = crossfaded(samples, b - crossfade, a - crossfade, crossfade, curve)
    else:
        out[a : a + crossfade] = crossfaded(samples, b, a, crossfade, curve)
    return out


def one_turn(samples: NDArray[np.float32], loop: Loop) -> NDArray[np.float32]:
    """What sounds from one entry of the loop to the next, shape (frames, channels)."""
    inside = samples[loop.start : loop.end]
    if loop.direction == "forward":
        return inside
    if loop.direction == "backward":
        return inside[::-1]
    # the turning points sound once each
    return np.concatenate((inside, inside[-2:0:-1]))


def played(
    samples: NDArray[np.float32], loop: Loop, seconds: float, rate: float
) -> NDArray[np.float32]:
    """The sound as it plays with its loop for so many seconds, from its beginning.

    A forward and a back-and-forth loop are entered at their start, a backward one at its end.
    """
    frames = round(seconds * rate)
    lead = samples[: loop.end if loop.direction != "back-and-forth" else loop.start]
    turn = one_turn(samples, loop)
    times = max(0, -(-(frames - len(lead)) // len(turn)))
    return np.concatenate([lead, *[turn] * times])[:frames]
