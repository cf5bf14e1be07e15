"""A sound file read from any place on, in stereo and at one rate, whatever its own."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from pathlib import Path

import numpy as np
import soxr
from numpy.typing import NDArray

from innerbloom.core.sound.files import fold_down, read_blocks, sound_info

_CHUNK = 1 << 14
_LEAD = 2_048
"""Frames of the file that are read ahead of a place, for the resampler to be in its stride."""

_MONO = np.float32(np.sqrt(0.5))


class ResampledSource:
    """A file at another rate; consecutive reads go on where the last one ended.

    It reads ahead, so that short reads cost little, and holds no file open in between.

    Parameters
    ----------
    path : Path
    rate : int
        Frames a second wanted.

    Attributes
    ----------
    frames : int
        Its length at that rate.

    Raises
    ------
    SoundFileError
        If it cannot be read.
    """

    def __init__(self, path: Path, rate: int) -> None:
        info = sound_info(path)
        self._path, self._own, self._rate = path, info.rate, rate
        self._length = info.frames
        self.frames = round(info.frames * rate / info.rate)
        self._next, self._at, self._ended = -1, 0, False
        self._stream: soxr.ResampleStream | None = None
        self._ready = np.zeros((0, 2), np.float32)

    def read(self, first: int, count: int) -> NDArray[np.float32]:
        """Frames from a place on, shape (count, 2); silence past the end."""
        out = np.zeros((count, 2), np.float32)
        skipped = min(count, max(0, -first))
        inside = max(0, min(count, self.frames - first) - skipped)
        if inside:
            out[skipped : skipped + inside] = self._inside(first + skipped, inside)
        return out

    def be_ready(self, first: int) -> None:
        """Read what comes first from a place on, so that the next read need not wait for the disk."""
        self._seek(first)
        self._fill()
        self._next = first

    def _inside(self, first: int, count: int) -> NDArray[np.float32]:
        if first != self._next:
            self._seek(first)
        while len(self._ready) < count and not self._ended:
            self._fill()
        piece, self._ready = self._ready[:count], self._ready[count:]
        self._next = first + count
        if len(piece) == count:
            return piece
        # a file that is shorter than it says
        return np.concatenate((piece, np.zeros((count - len(piece), 2), np.float32)))

    def _seek(self, first: int) -> None:
        self._ready, self._ended = np.zeros((0, 2), np.float32), False
        if self._own == self._rate:
            self._at, self._stream = first, None
            return
        # a little ahead, at a frame of the file that falls on one of ours
        step = self._own // int(np.gcd(self._own, self._rate))
        self._at = max(0, first * self._own // self._rate - _LEAD) // step * step
        skip = first - self._at * self._rate // self._own
        self._stream = soxr.ResampleStream(self._own, self._rate, 2, dtype="float32", quality="HQ")
        while len(self._ready) < skip and not self._ended:
            self._fill()
        self._ready = self._ready[skip:]

    def _fill(self) -> None:
        samples = self._own_frames(self._at, _CHUNK)
        self._at += len(samples)
        self._ended = self._at >= self._length or not len(samples)
        if self._stream is not None:
            if not len(samples):
                # the resampler takes no empty piece
                samples = np.zeros((1, 2), np.float32)
            samples = self._stream.resample_chunk(samples, last=self._ended)
        self._ready = np.concatenate((self._ready, samples))

    def _own_frames(self, first: int, count: int) -> NDArray[np.float32]:
        blocks = list(read_blocks(self._path, start=first, frames=count))
        if not blocks:
            return np.zeros((0, 2), np.float32)
        samples = fold_down(np.concatenate(blocks))
        if samples.shape[1] == 1:
            samples = np.repeat(samples * _MONO, 2, axis=1)
        return np.ascontiguousarray(samples)


def resampled_blocks(
    blocks: Iterable[NDArray[np.float32]], rate: int, wanted: int, channels: int
) -> Iterator[NDArray[np.float32]]:
    """Blocks of shape (frames, channels) at another rate in Hz; as they are where it is the same."""
    if rate == wanted:
        yield from blocks
        return
    stream = soxr.ResampleStream(rate, wanted, channels, dtype="float32", quality="VHQ")
    for block in blocks:
        yield stream.resample_chunk(np.ascontiguousarray(block))
    yield stream.resample_chunk(np.zeros((0, channels), np.float32), last=True)
