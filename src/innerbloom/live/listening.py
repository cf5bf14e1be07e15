"""Listening to a recording as it is, from any point, through the live output."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.engine import ENGINE_RATE
from innerbloom.core.errors import SoundFileError
from innerbloom.core.sound.resampled import ResampledSource

_FADE = 240
"""Frames of fade at start and stop, 5 ms."""


class Listening:
    """Reads a file piece by piece, at the engine's rate and in stereo.

    Parameters
    ----------
    path : Path
    at_s : float
        Where to start, in seconds.
    until_s : float, optional
        Where to stop; by default at the end.
    gain_db : float

    Raises
    ------
    SoundFileError
        If it cannot be read.
    """

    def __init__(
        self, path: Path, at_s: float, until_s: float | None = None, gain_db: float = 0.0
    ) -> None:
        try:
            self._source = ResampledSource(path, ENGINE_RATE)
        except SoundFileError as error:
            text = "This recording cannot be read any more: its file may be damaged."
            raise SoundFileError(text) from error
        self._gain = np.float32(10.0 ** (gain_db / 20.0))
        self._first = min(max(0, round(at_s * ENGINE_RATE)), self._source.frames)
        last = self._source.frames
        if until_s is not None:
            last = min(last, max(self._first, round(until_s * ENGINE_RATE)))
        self._source.be_ready(self._first)
        self._last = last - self._first
        self._fades_at_end = until_s is not None
        self._played = 0
        self._stopping = False

    @property
    def place_s(self) -> float:
        """Where in the recording the sound is now, in seconds."""
        return (self._first + self._played) / ENGINE_RATE

    def stop(self) -> None:
        """Fade out in the next block."""
        self._stopping = True

    def read(self, frames: int) -> tuple[NDArray[np.float32], bool]:
        """The next frames, shape (frames, 2), and whether there is more."""
        try:
            out = self._source.read(self._first + self._played, frames)
        except SoundFileError:
            # deleted or altered meanwhile: live sound goes on
            return np.zeros((frames, 2), np.float32), False
        if self._played < _FADE:
            ramp = (self._played + np.arange(frames)) / _FADE
            out *= np.minimum(1.0, ramp).astype(np.float32)[:, None]
        if self._stopping:
            out *= np.linspace(1, 0, frames, dtype=np.float32)[:, None]
        out *= self._gain
        if self._fades_at_end:
            self._fade_at_end(out)
        self._played += frames
        return out, not self._stopping and self._played < self._last

    def _fade_at_end(self, out: NDArray[np.float32]) -> None:
        """Come to rest where listening was to stop."""
        left = self._last - self._played - np.arange(len(out))
        if left[-1] < _FADE:
            out *= np.clip(left / _FADE, 0.0, 1.0).astype(np.float32)[:, None]
