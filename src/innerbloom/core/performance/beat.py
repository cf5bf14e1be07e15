"""Beats: where they fall in frames, exactly, while the tempo may change."""

from __future__ import annotations

import math
from dataclasses import dataclass

from innerbloom.core.dsp.rates import RATE

BEATS_IN_A_BAR = 4


@dataclass
class BeatClock:
    """Counts beats from a moment on.

    A beat's frame comes from how far it lies from where the tempo last changed, and not from the
    beat before: nothing adds up to a drift.

    Parameters
    ----------
    tempo : float
        Beats a minute.
    start : int
        The frame of beat 0.

    Examples
    --------
    >>> BeatClock(120.0).frame_at(0.25)
    6000
    """

    tempo: float
    start: int = 0

    def __post_init__(self) -> None:
        self._beat, self._frame = 0.0, self.start

    def set_tempo(self, tempo: float, frame: int) -> None:
        """Another tempo from a frame on; the beat that it has come to goes on from there."""
        if tempo != self.tempo:
            self._beat, self._frame, self.tempo = self.beat_at(frame), frame, tempo

    def beat_at(self, frame: int) -> float:
        """How many beats have passed at a frame."""
        return self._beat + (frame - self._frame) * self.tempo / (60.0 * RATE)

    def frame_at(self, beat: float) -> int:
        """The frame nearest to a beat."""
        return self._frame + round((beat - self._beat) * 60.0 * RATE / self.tempo)

    def next_frame(self, frame: int, every: float = 1.0) -> int:
        """The next frame, not before one, on which a multiple of so many beats falls."""
        # a beat whose frame was rounded down has come
        number = math.floor(self.beat_at(frame) / every)
        while self.frame_at(number * every) < frame:
            number += 1
        return self.frame_at(number * every)
