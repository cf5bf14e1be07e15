"""A loop in a sound: where it lies and which way it is read."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Curve = Literal["equal power", "linear"]
"""Of a crossfade."""

Direction = Literal["forward", "backward", "back-and-forth"]


@dataclass(frozen=True)
class Loop:
    """A stretch to repeat.

    Attributes
    ----------
    start, end : int
        First frame, and one past the last.
    direction : {"forward", "backward", "back-and-forth"}
    stay : bool
        Whether the loop goes on after the key is let go; else the sound plays on past it.
    """

    start: int
    end: int
    direction: Direction = "forward"
    stay: bool = True
