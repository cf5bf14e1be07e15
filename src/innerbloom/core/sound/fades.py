"""Fades and crossfades: gain curves between 0 and 1."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

FadeCurve = Literal["linear", "equal power", "slow start", "slow end"]


def rising(frames: int, curve: FadeCurve) -> NDArray[np.float32]:
    """Gains from 0 up to 1, shape (frames,), read at the middle of each frame.

    Equal power is the quarter sine, whose square and that of its mirror sum to one.
    """
    return rising_at((np.arange(frames) + 0.5) / max(1, frames), curve)


def rising_at(share: NDArray[np.floating], curve: FadeCurve) -> NDArray[np.float32]:
    """Gains at places of a fade, 0..1; what lies before or after it is held at 0 or 1."""
    share = np.clip(share, 0.0, 1.0)
    if curve == "equal power":
        gains = np.sin(0.5 * np.pi * share)
    elif curve == "slow start":
        gains = share**2
    elif curve == "slow end":
        gains = 1.0 - (1.0 - share) ** 2
    else:
        gains = share
    return np.asarray(gains, np.float32)


def faded(
    samples: NDArray[np.float32],
    fade_in: int,
    fade_out: int,
    curve_in: FadeCurve = "linear",
    curve_out: FadeCurve = "linear",
) -> NDArray[np.float32]:
    """A copy of shape (frames, channels) that fades in and out over so many frames.

    Where both are longer than the sound together, each is shortened in proportion.
    """
    total = fade_in + fade_out
    if total > len(samples):
        fade_in = fade_in * len(samples) // total
        fade_out = len(samples) - fade_in
    out = samples.copy()
    if fade_in > 0:
        out[:fade_in] *= rising(fade_in, curve_in)[:, None]
    if fade_out > 0:
        out[-fade_out:] *= rising(fade_out, curve_out)[::-1, None]
    return out
