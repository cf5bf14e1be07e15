"""A sound on its way through a recipe."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.sound.loop import Loop

RootHow = Literal["found", "steadiest", "made", "given", "none"]


@dataclass(frozen=True)
class Clip:
    """A stretch of sound, and what is known of it.

    Attributes
    ----------
    samples : ndarray of float32, shape (frames, 1 or 2)
    rate : int
        Frames a second.
    offset : int
        Where in the source the first frame lies; only the first step may make use of it.
    loop : Loop or None
    root : float or None
        MIDI note, with a fraction, at A4 = 440 Hz.
    root_how : {"found", "steadiest", "made", "given", "none"}
        ``found`` leaves it to be measured at the end; ``steadiest`` and ``made`` were measured
        or set by a step, and only ``given`` and ``none`` (that there is none) by a person.
    scaled : float
        Gain laid on by normalising so far, so that noise learnt from the source fits.
    """

    samples: NDArray[np.float32]
    rate: int
    offset: int = 0
    loop: Loop | None = None
    root: float | None = None
    root_how: RootHow = "found"
    scaled: float = 1.0

    @property
    def frames(self) -> int:
        return len(self.samples)

    @property
    def seconds(self) -> float:
        """Length in seconds."""
        return len(self.samples) / self.rate

    def frame_at(self, seconds: float) -> int:
        """The frame nearest to a moment, inside the sound or just past its end."""
        return min(max(0, round(seconds * self.rate)), self.frames)

    def with_samples(self, samples: NDArray[np.float32], **changes: Any) -> Clip:
        """The same clip with other samples; what is said of time has to be given anew."""
        return replace(self, samples=np.ascontiguousarray(samples, np.float32), **changes)
