"""Listening to a recording as it is, from any point, through the live output."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import soundfile as sf
import soxr
from numpy.typing import NDArray

from innerbloom.core.engine import ENGINE_RATE
from innerbloom.core.sound.files import fold_down

_CHUNK = 4_096
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
    """

    def __init__(
        self, path: Path, at_s: float, until_s: float | None = None, gain_db: float = 0.0
    ) -> None:
        self._file = sf.SoundFile(path)
        self._gain = np.float32(10.0 ** (gain_db / 20.0))
        start = int(
            min(max(0.0, at_s), self._file.frames / self._file.samplerate) * self._file.samplerate
        )
        self._file.seek(min(start, self._file.frames))
        self._stream = soxr.ResampleStream(
            self._file.samplerate, ENGINE_RATE, 2, dtype="float32", quality="HQ"
        )
        self._ready = np.zeros((0, 2), np.float32)
        self._played = 0
        self._start_s = start / self._file.samplerate
        end = self._start_s + 1e9 if until_s is None else max(until_s, self._start_s)
        self._last = round((end - self._start_s) * ENGINE_RATE)
        self._ended = False
        self._stopping = False

    @property
    def place_s(self) -> float:
        """Where in the recording the sound is now, in seconds."""
        return float(self._start_s + self._played / ENGINE_RATE)

    def stop(self) -> None:
        """Fade out in the next block."""
        self._stopping = True

    def close(self) -> None:
        """Let the file go."""
        self._file.close()

    def read(self, frames: int) -> tuple[NDArray[np.float32], bool]:
        """The next frames, shape (frames, 2), and whether there is more."""
        while len(self._ready) < frames and not self._ended:
            self._fill()
        out = np.zeros((frames, 2), np.float32)
        piece = self._ready[:frames]
        self._ready = self._ready[frames:]
        out[: len(piece)] = piece
        if self._played < _FADE:
            ramp = (self._played + np.arange(frames)) / _FADE
            out *= np.minimum(1.0, ramp).astype(np.float32)[:, None]
        if self._stopping:
            out *= np.linspace(1, 0, frames, dtype=np.float32)[:, None]
        out *= self._gain
        self._fade_at_end(out)
        self._played += frames
        more = (
            not self._stopping
            and self._played < self._last
            and (len(self._ready) > 0 or not self._ended)
        )
        if not more:
            self._file.close()
        return out, more

    def _fade_at_end(self, out: NDArray[np.float32]) -> None:
        """Come to rest where listening was to stop."""
        left = self._last - self._played - np.arange(len(out))
        if left[-1] < _FADE:
            out *= np.clip(left / _FADE, 0.0, 1.0).astype(np.float32)[:, None]

    def _fill(self) -> None:
        samples = self._file.read(_CHUNK, dtype="float32", always_2d=True)
        last = len(samples) < _CHUNK
        if not len(samples):
            # the resampler takes no empty piece
            samples = np.zeros((1, samples.shape[1]), np.float32)
        if samples.shape[1] == 1:
            samples = np.repeat(samples, 2, axis=1) * np.float32(np.sqrt(0.5))
        new = self._stream.resample_chunk(np.ascontiguousarray(fold_down(samples)), last=last)
        self._ready = np.concatenate((self._ready, new))
        self._ended = last
