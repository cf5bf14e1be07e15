"""Convolution with long responses without added delay, in partitions of three sizes.

The first 256 taps are convolved directly; what follows in blocks of 256 frames, then of 4096, then
of 16384, each as products of spectra. A block of a larger size has as long as itself until its
first result is due, and its work is done in small pieces meanwhile, at ticks counted from the
start of all: the result does not depend on how time is cut, nor does one tick have to wait long.

References
----------
.. [1] W. G. Gardner, "Efficient convolution without input-output delay", Journal of the Audio
   Engineering Society 43(3), 1995.
.. [2] F. Wefers, *Partitioned convolution algorithms for real-time auralization*, Logos 2015: the
   choice of partitions, and spreading their work over time.
"""

from __future__ import annotations

import copy
from dataclasses import dataclass

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.fft import forward, inverse, scratch_for, transform_of
from innerbloom.core.dsp.fir import add_fir
from innerbloom.core.dsp.rates import TICK

HEAD = 256
_SIZES = ((256, 256, 8_192), (4_096, 8_192, 32_768), (16_384, 32_768, 1 << 30))
"""Block, first tap, and tap before which it ends, of each size."""

_BLOCK_TICKS = HEAD // TICK
_CHUNK = 8
"""Partitions multiplied in one go."""


@dataclass(frozen=True)
class Spectra:
    """The partitions of one size: real and imaginary parts, shape (channels, 2, parts, bins)."""

    block: int
    first: int
    values: NDArray[np.float32]


@dataclass(frozen=True)
class Response:
    """A response ready for :class:`Convolver`.

    Attributes
    ----------
    head : ndarray of float32, shape (channels, HEAD)
        Its first taps, the last of them first.
    sizes : tuple of Spectra
    frames : int
    """

    head: NDArray[np.float32]
    sizes: tuple[Spectra, ...]
    frames: int

    @property
    def nbytes(self) -> int:
        """Bytes that it takes."""
        return self.head.nbytes + sum(one.values.nbytes for one in self.sizes)


def partitioned(response: NDArray[np.float32]) -> Response:
    """A response of shape (frames, channels) cut into partitions."""
    taps = np.ascontiguousarray(response.T, np.float32)
    head = np.zeros((len(taps), HEAD), np.float32)
    head[:, : min(HEAD, taps.shape[1])] = taps[:, :HEAD]
    sizes = []
    for block, first, end in _SIZES:
        rest = taps[:, first:end]
        if not rest.size:
            break
        parts = -(-rest.shape[1] // block)
        padded = np.zeros((len(taps), parts, 2 * block), np.float32)
        for part in range(parts):
            piece = rest[:, part * block : (part + 1) * block]
            padded[:, part, : piece.shape[1]] = piece
        spectra = scipy.fft.rfft(padded)
        values = np.ascontiguousarray(np.stack([spectra.real, spectra.imag], axis=1))
        sizes.append(Spectra(block, first, values))
    return Response(np.ascontiguousarray(head[:, ::-1]), tuple(sizes), taps.shape[1])


@borrowing
def _through_head(out, history, x, head):
    """Both channels of a stretch of shape (frames, 2) through the head, added to ``out``."""
    frames = len(x)
    for channel in range(2):
        line = history[channel]
        for i in range(HEAD - 1):
            line[i] = line[len(line) - HEAD + 1 + i]
        for i in range(frames):
            line[HEAD - 1 + i] = x[i, channel]
        add_fir(out[channel], line[: HEAD - 1 + frames], head[min(channel, len(head) - 1)])
        # the newest lies at the end
        for i in range(HEAD - 2, -1, -1):
            line[len(line) - HEAD + 1 + i] = line[frames + i]


@borrowing
def _multiply(sums, heard, of, newest, first, count):
    """Add products of the spectra heard (a ring whose newest is known) by those of a response.

    All have real parts first and imaginary ones second: ``sums`` is of shape (2, bins), the others
    of shape (2, parts, bins).
    """
    parts = of.shape[1]
    total_real, total_imag = sums[0], sums[1]
    for part in range(first, first + count):
        there = (newest - part) % parts
        a, b, c, d = heard[0, there], heard[1, there], of[0, part], of[1, part]
        for k in range(len(total_real)):
            total_real[k] += a[k] * c[k] - b[k] * d[k]
            total_imag[k] += a[k] * d[k] + b[k] * c[k]


@borrowing
def _convolve(made, heard, spectra, of, sums, newest, work):
    """A block of both channels in one go: taken in, multiplied, and given back.

    Parameters
    ----------
    made, heard : float32 arrays, shape (2, 2 * block)
        Filled, and the last two blocks.
    spectra : float32 array, shape (2, 2, parts, bins)
        A ring of those of each channel, real parts first.
    sums : float32 array, shape (2, 2, bins)
        Zeros.
    work : (Transform, float32 array)
        Tables and scratch.
    """
    table, scratch = work
    for channel in range(2):
        into, total = spectra[channel], sums[channel]
        forward(into[0, newest], into[1, newest], heard[channel], table, scratch)
        one = of[min(channel, len(of) - 1)]
        _multiply(total, into, one, newest, 0, of.shape[2])
        inverse(made[channel], total[0], total[1], table, scratch)


class _Size:
    """What one size of partition remembers of both channels, and the work it has to do."""

    def __init__(self, spectra: Spectra) -> None:
        self.spectra = spectra
        self.ticks = spectra.block // TICK
        self.parts, bins = spectra.values.shape[2:]
        self.heard = np.zeros((2, 2 * spectra.block), np.float32)
        self.spectra_heard = np.zeros((2, 2, self.parts, bins), np.float32)
        self.sums = np.zeros((2, 2, bins), np.float32)
        self.newest = 0
        self.work: list[tuple[str, int, int]] = []
        self._every, self._done = 1, 0
        self._table = transform_of(2 * spectra.block)
        self._made = np.zeros((2, 2 * spectra.block), np.float32)
        self._scratch = scratch_for(2 * spectra.block)

    def copied(self) -> _Size:
        other = copy.copy(self)
        for name in ("heard", "spectra_heard", "sums", "_made", "_scratch"):
            setattr(other, name, getattr(self, name).copy())
        other.work = list(self.work)
        return other

    def take_in(self, block: NDArray[np.float32]) -> None:
        """Go on with a block that is complete, shape (2, block)."""
        size = self.spectra.block
        self.heard[:, :size] = self.heard[:, size:]
        self.heard[:, size:] = block
        self.newest = (self.newest + 1) % self.parts
        self.sums[:] = 0.0

    def begin(self) -> None:
        """Spread the work on the block that was taken in over the time until the next."""
        pieces = [
            ("multiply", channel, first)
            for channel in range(2)
            for first in range(0, self.parts, _CHUNK)
        ]
        self.work = [("take in", 0, 0), ("take in", 1, 0), *pieces, ("give", 0, 0), ("give", 1, 0)]
        self._every, self._done = max(1, self.ticks // (len(self.work) + 2)), 0

    def due(self, tick: int) -> bool:
        """Whether a piece of work is due."""
        if not self.work:
            return False
        return self._done < tick % self.ticks // self._every

    def at_once(self) -> NDArray[np.float32]:
        """All work in one go; both channels' blocks."""
        _convolve(
            self._made,
            self.heard,
            self.spectra_heard,
            self.spectra.values,
            self.sums,
            self.newest,
            (self._table, self._scratch),
        )
        return self._made[:, self.spectra.block :]

    def step(self) -> tuple[int, NDArray[np.float32]] | None:
        """Do one piece of work; a channel and its block where one is finished."""
        what, channel, first = self.work.pop(0)
        self._done += 1
        spectra, heard, sums = self.spectra, self.spectra_heard[channel], self.sums[channel]
        of = min(channel, len(spectra.values) - 1)
        if what == "take in":
            into = heard[:, self.newest]
            forward(into[0], into[1], self.heard[channel], self._table, self._scratch)
        elif what == "multiply":
            count = min(_CHUNK, self.parts - first)
            _multiply(sums, heard, spectra.values[of], self.newest, first, count)
        else:
            made = self._made[channel]
            inverse(made, sums[0], sums[1], self._table, self._scratch)
            return channel, made[spectra.block :]
        return None


class Convolver:
    """A stereo stream through a response of one channel or two, in whole ticks.

    Parameters
    ----------
    response : Response
    """

    def __init__(self, response: Response) -> None:
        self.response = response
        self._sizes = [_Size(one) for one in response.sizes]
        longest = max((one.block for one in response.sizes), default=TICK)
        self._history = np.zeros((2, HEAD - 1 + _BLOCK_TICKS * TICK), np.float32)
        self._input = np.zeros((2, max(longest, _BLOCK_TICKS * TICK)), np.float32)
        self._ahead = np.zeros((2, 2 * max(longest, _BLOCK_TICKS * TICK)), np.float32)

    def copied(self) -> Convolver:
        """The same, going its own way from here."""
        other = copy.copy(self)
        other._sizes = [one.copied() for one in self._sizes]
        for name in ("_history", "_input", "_ahead"):
            setattr(other, name, getattr(self, name).copy())
        return other

    def process(self, x: NDArray[np.float32], tick: int) -> NDArray[np.float32]:
        """Whole ticks, of shape (frames, 2), of which the first's number is given.

        Returns
        -------
        ndarray of float32, shape (2, frames)
        """
        out = np.empty((2, len(x)), np.float32)
        done, count = 0, len(x) // TICK
        while done < count:
            # as far as the next block of the smallest size
            until = min(count, done + _BLOCK_TICKS - (tick + done) % _BLOCK_TICKS)
            frames = slice(done * TICK, until * TICK)
            self._stretch(out[:, frames], x[frames], tick + done)
            done = until
        return out

    def _stretch(self, out: NDArray[np.float32], x: NDArray[np.float32], tick: int) -> None:
        """Ticks between two borders of blocks."""
        for size in self._sizes:
            self._work(size, tick, tick + len(x) // TICK)
        place = (tick * TICK) % self._input.shape[1]
        self._input[:, place : place + len(x)] = x.T
        at = (tick * TICK) % self._ahead.shape[1]
        ahead = self._ahead[:, at : at + len(x)]
        out[:] = ahead
        ahead[:] = 0.0
        _through_head(out, self._history, x, self.response.head)

    def _work(self, size: _Size, tick: int, until: int) -> None:
        """What is due of a size at some ticks."""
        if tick % size.ticks == 0:
            end = (tick * TICK) % self._input.shape[1] or self._input.shape[1]
            size.take_in(self._input[:, end - size.spectra.block : end])
            if size.spectra.first > size.spectra.block:
                size.begin()
            else:
                # heard from now on
                self._add(size, slice(None), size.at_once(), tick)
        while size.due(until - 1):
            made = size.step()
            if made is not None:
                self._add(size, *made, tick)

    def _add(
        self, size: _Size, channel: int | slice, sound: NDArray[np.float32], tick: int
    ) -> None:
        ended = TICK * (tick - tick % size.ticks)
        # a block is heard from its beginning on, later by the first tap of its size
        at = (ended - size.spectra.block + size.spectra.first) % self._ahead.shape[1]
        self._ahead[channel, at : at + size.spectra.block] += sound
