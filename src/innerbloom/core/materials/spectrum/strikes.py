"""Strikes: the first moments of a sound that partials and steady noise cannot tell."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.materials.spectrum.model import RATE, Floats, Strike

_BEFORE_S = 0.002
_LONGEST_S = 0.12
_SHORTEST_S = 0.012
_FADE_S = 0.012
_FALLEN = 0.1
"""Share of its loudest power at which a strike is over."""

_FRAME_S = 0.002


def find_strikes(
    residual: Floats, beginnings: NDArray[np.float64], readiness: float
) -> tuple[Floats, tuple[Strike, ...]]:
    """Cut strikes out of what partials leave.

    Parameters
    ----------
    residual : ndarray, shape (frames,)
    beginnings : ndarray
        Where the sound begins sharply, in seconds.
    readiness : float
        0..1; 0 keeps none.

    Returns
    -------
    rest : ndarray
        The residual without them.
    strikes : tuple of Strike
    """
    rest = residual.copy()
    if readiness <= 0.0:
        return rest, ()
    stands_out = 10.0 ** ((14.0 - 12.0 * readiness) / 10.0)
    found = []
    for number, at in enumerate(beginnings):
        following = beginnings[number + 1] if number + 1 < len(beginnings) else np.inf
        length = _length_of(residual, at, min(_LONGEST_S, following - at - _BEFORE_S), stands_out)
        if length is None:
            continue
        start = max(0, round((at - _BEFORE_S) * RATE))
        end = min(len(rest), round((at + length) * RATE))
        piece = rest[start:end] * _shape(end - start)
        rest[start:end] -= piece
        found.append(Strike(start / RATE, piece))
    return rest, tuple(found)


def side_strikes(side: Floats, strikes: tuple[Strike, ...]) -> tuple[Floats, tuple[Strike, ...]]:
    """Cut what the side holds of strikes out of its residual; gives the rest, and them with it."""
    rest, made = side.copy(), []
    for strike in strikes:
        start, frames = round(strike.at_s * RATE), len(strike.samples)
        piece = rest[start : start + frames] * _shape(frames)
        rest[start : start + frames] -= piece
        made.append(replace(strike, side=piece))
    return rest, tuple(made)


def _length_of(residual: Floats, at: float, most: float, stands_out: float) -> float | None:
    """How long a strike lasts; None where the residual does not stand out from before."""
    frame = round(_FRAME_S * RATE)
    first = round(at * RATE)
    before = residual[max(0, first - 10 * frame) : max(0, first - frame)]
    quiet = float(np.mean(before**2)) if len(before) else 0.0
    after = residual[first : first + round(most * RATE)]
    count = len(after) // frame
    if count < 2 or most < _SHORTEST_S:
        return None
    power = np.mean(after[: count * frame].reshape(count, frame) ** 2, axis=1)
    if first < frame:
        # a recording may begin within a sound: it has to stand out from how it goes on
        quiet = float(np.median(power[count // 2 :]))
    loudest = float(power[: max(2, round(_SHORTEST_S / _FRAME_S))].max())
    if loudest < stands_out * max(quiet, 1e-11):
        return None
    above = np.flatnonzero(power > max(_FALLEN * loudest, 2.0 * quiet))
    return float(np.clip((above[-1] + 1) * _FRAME_S + _FADE_S, _SHORTEST_S, most))


def _shape(frames: int) -> Floats:
    """Fades in before the beginning, and out over the second half."""
    rise = min(round(_BEFORE_S * RATE), frames // 4)
    fall = frames // 2
    shape = np.ones(frames, np.float32)
    shape[:rise] = np.sin(0.5 * np.pi * (np.arange(rise) + 0.5) / rise) ** 2
    shape[frames - fall :] = np.cos(0.5 * np.pi * (np.arange(fall) + 0.5) / fall) ** 2
    return shape


def strikes_alone(strikes: tuple[Strike, ...], frames: int, side: bool = False) -> Floats:
    """All strikes at their places, or what the side holds of them, shape (frames,)."""
    out = np.zeros(frames, np.float32)
    for strike in strikes:
        start = round(strike.at_s * RATE)
        samples = strike.side if side else strike.samples
        piece = np.zeros(0, np.float32) if samples is None else samples[: max(0, frames - start)]
        out[start : start + len(piece)] += piece
    return out
