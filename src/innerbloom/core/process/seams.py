"""The seam of a loop, enlarged, and places where a sound crosses zero."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.analysis.loops import LoopCandidate, likeness_at, scored
from innerbloom.core.analysis.mono import one_channel
from innerbloom.core.process.loop import (
    bake_crossfade,
    check_loop,
    one_turn,
    room_for_crossfade,
)
from innerbloom.core.sound.loop import Curve, Loop


@dataclass(frozen=True)
class Seam:
    """What is heard about the moment a loop comes round.

    Attributes
    ----------
    leaving : ndarray
        The sound about the loop's end, as it would go on past it.
    entering : ndarray
        The sound about its start, as it comes from before it.
    heard : ndarray
        What sounds: up to the middle the end of a turn, then the start of the next.
    room : int
        Longest crossfade there is material for, in frames.
    step : float
        The jump at the seam over the largest step within the sound about it; up to 1 is quiet.
    judged : LoopCandidate
    turn : {"", "start", "end"}
        Which turning point of a back-and-forth loop this is: the one that is heard more.
    """

    leaving: NDArray[np.float32]
    entering: NDArray[np.float32]
    heard: NDArray[np.float32]
    room: int
    step: float
    judged: LoopCandidate
    turn: Literal["", "start", "end"] = ""


def seam_of(
    samples: NDArray[np.float32], rate: float, loop: Loop, crossfade: int, curve: Curve, reach: int
) -> Seam:
    """The seam with ``reach`` frames on either side; samples of shape (frames, channels).

    Raises
    ------
    BloomError
        If the loop or its crossfade does not fit.
    """
    if loop.direction == "back-and-forth":
        return _turn_of(samples, loop, reach)
    baked = bake_crossfade(samples, loop, crossfade, curve)
    mono, before = one_channel(baked), one_channel(samples)
    turn = one_turn(baked, loop)
    turn_mono = one_channel(np.ascontiguousarray(turn))
    tail = _last(turn_mono, reach)
    head = _first(turn_mono, reach)
    heard = np.concatenate((tail, head))
    inside = np.abs(np.diff(mono[max(0, loop.start - 1) : loop.end + 1]))
    jump = abs(float(turn_mono[0]) - float(turn_mono[-1]))
    typical = float(inside.max(initial=1e-9))
    wide = before.astype(np.float64)
    judged = scored(wide, rate, loop.start, loop.end, likeness_at(wide, rate, loop.start, loop.end))
    first, last = (loop.start, loop.end) if loop.direction != "backward" else (loop.end, loop.start)
    return Seam(
        _about(before, last, reach),
        _about(before, first, reach),
        heard,
        room_for_crossfade(len(samples), loop),
        jump / max(typical, 1e-9),
        judged,
    )


def _turn_of(samples: NDArray[np.float32], loop: Loop, reach: int) -> Seam:
    """The turning point that is heard more: the sound mirrored there, which bends it as much as
    it was on its way up or down."""
    check_loop(len(samples), loop)
    mono = one_channel(samples)
    inside = np.diff(mono[loop.start : loop.end])
    typical = max(float(np.abs(inside).max(initial=0.0)), 1e-9)
    at_start, at_end = 2.0 * abs(inside[0]) / typical, 2.0 * abs(inside[-1]) / typical
    centre = loop.start if at_start > at_end else loop.end - 1
    about = _about(mono, centre, reach)
    mirrored = np.concatenate((about[:reach], about[reach:0:-1]))
    if centre == loop.start:
        mirrored = np.concatenate((about[:reach:-1], about[reach:]))[-2 * reach :]
    bend = float(max(at_start, at_end))
    judged = LoopCandidate(
        loop.start, loop.end, closes=round(1.0 - 0.5 * bend, 4), likeness=1.0, crossfade=0,
        curve="linear",
    )  # fmt: skip
    turn: Literal["start", "end"] = "start" if centre == loop.start else "end"
    return Seam(about, mirrored, mirrored, 0, bend, judged, turn)


def _about(mono: NDArray[np.float32], centre: int, reach: int) -> NDArray[np.float32]:
    padded = np.pad(mono, reach)
    return padded[centre : centre + 2 * reach]


def _first(turn: NDArray[np.float32], count: int) -> NDArray[np.float32]:
    return np.resize(turn, count)


def _last(turn: NDArray[np.float32], count: int) -> NDArray[np.float32]:
    return np.asarray(np.resize(turn[::-1], count)[::-1])


def zero_crossing(samples: NDArray[np.float32], near: int, way: int = 0) -> int:
    """The frame at which the sound crosses zero, going up or down.

    Parameters
    ----------
    samples : ndarray, shape (frames, channels)
    near : int
        Frame to look from.
    way : int
        -1 for the next one before, 1 for the next one after, 0 for the nearest.

    Returns
    -------
    int
        ``near`` itself where there is none.
    """
    mono = one_channel(samples)
    signs = np.signbit(mono)
    crossings = np.flatnonzero(signs[1:] != signs[:-1]) + 1
    if way < 0:
        crossings = crossings[crossings < near][-1:]
    elif way > 0:
        crossings = crossings[crossings > near][:1]
    if not len(crossings):
        return near
    return int(crossings[np.abs(crossings - near).argmin()])
