"""Listening to a loop, to a tone made of a few cycles, and to a reference tone."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.engine import ENGINE_RATE
from innerbloom.core.errors import BloomError
from innerbloom.core.prepare.source import FileSource
from innerbloom.core.process.loop import bake_crossfade, check_loop, one_turn, room_for_crossfade
from innerbloom.core.process.tone import tone_cycle
from innerbloom.core.process.varispeed import read_at
from innerbloom.core.sound.loop import Curve, Direction, Loop

MOST_S = 180.0
_PAD = 64
_FADE = 240
_TONE_LEVEL = 0.09


class LoopPreview:
    """Plays one turn over and over, at the rate it was recorded.

    Parameters
    ----------
    turn : ndarray, shape (frames, channels)
    length : float
        Exact length of the turn in its own frames; it may end between two frames.
    rate : int
    start_s : float
        Where in the recording the turn begins, for the picture.
    gain : float
    backward : bool
        Whether the picture's place runs backward.
    """

    def __init__(
        self, turn: NDArray[np.float32], length: float, rate: int, start_s: float, gain: float = 1.0
    ) -> None:
        places = np.mod(np.arange(-_PAD, int(np.ceil(length)) + _PAD), length)
        low = np.minimum(np.floor(places).astype(int), len(turn) - 1)
        share = (places - low)[:, None].astype(np.float32)
        stereo = turn if turn.shape[1] == 2 else np.repeat(turn * np.float32(np.sqrt(0.5)), 2, 1)
        following = stereo[np.mod(low + 1, len(stereo))]
        self._wrapped = np.ascontiguousarray(stereo[low] * (1 - share) + following * share)
        self._wrapped *= np.float32(gain)
        self._length, self._step = length, rate / ENGINE_RATE
        self._rate, self._start_s = rate, start_s
        self._phase = 0.0
        self._played = 0
        self._stopping = False

    @property
    def place_s(self) -> float:
        """Where in the recording the sound is now, in seconds."""
        return self._start_s + self._phase / self._rate

    def stop(self) -> None:
        """Fade out in the next block."""
        self._stopping = True

    def read(self, frames: int) -> tuple[NDArray[np.float32], bool]:
        """The next frames, shape (frames, 2), and whether there is more."""
        places = np.mod(self._phase + self._step * np.arange(frames), self._length)
        self._phase = float(np.mod(self._phase + self._step * frames, self._length))
        out = read_at(self._wrapped, places + _PAD, max(1.0, self._step))
        if self._played < _FADE:
            out *= np.minimum(1.0, (self._played + np.arange(frames)) / _FADE)[:, None]
        if self._stopping:
            out *= np.linspace(1, 0, frames)[:, None]
        self._played += frames
        return out.astype(np.float32), not self._stopping


def preview_loop(
    path: Path, start_s: float, end_s: float, crossfade_ms: float, curve: Curve,
    direction: Direction, gain: float,
) -> LoopPreview:  # fmt: skip
    """A loop of a file, its crossfade laid in; raises a BloomError where it does not fit."""
    source = FileSource(path)
    start = round(start_s * source.rate)
    end = min(round(end_s * source.rate), source.frames) if end_s > 0 else source.frames
    if (end - start) / source.rate > MOST_S:
        raise BloomError(f"A loop of up to {MOST_S:.0f} s can be listened to: shorten it.")
    crossfade = round(1e-3 * crossfade_ms * source.rate)
    check_loop(source.frames, Loop(start, end, direction), crossfade)
    first = max(0, start - crossfade)
    samples = source.read(first, end - first + crossfade)
    loop = Loop(start - first, end - first, direction)
    crossfade = min(crossfade, room_for_crossfade(len(samples), loop))
    turn = one_turn(bake_crossfade(samples, loop, crossfade, curve), loop)
    return LoopPreview(turn, float(len(turn)), source.rate, start_s, gain)


def preview_cycles(path: Path, place_s: float, hz: float, cycles: int, gain: float) -> LoopPreview:
    """A few cycles of a file as a tone."""
    source = FileSource(path)
    reach = round(2.0 * cycles * source.rate / hz) + 256
    first = max(0, round(place_s * source.rate) - reach)
    samples = source.read(first, 3 * reach)
    turn, length = tone_cycle(samples, source.rate, place_s * source.rate - first, hz, cycles)
    return LoopPreview(turn, length, source.rate, place_s, gain)


def reference_tone(hz: float) -> LoopPreview:
    """A soft tone to tune by: a sine with a little of its third partial."""
    length = ENGINE_RATE / hz
    phase = 2.0 * np.pi * np.arange(int(np.ceil(length))) / length
    wave = _TONE_LEVEL * (np.sin(phase) + np.sin(3.0 * phase) / 9.0)
    return LoopPreview(wave.astype(np.float32)[:, None], length, ENGINE_RATE, 0.0)
