"""What is wrong with a recording at first sight: clipping, one signal on both sides, an offset."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_FULL = 0.9995
_RUN = 3
"""Samples at full scale in a row that count as clipped (common practice)."""

_DC = 0.01
_SAME_DB = -70.0


class FlawCollector:
    """Looks for flaws in a stream of blocks of shape (frames, channels)."""

    def __init__(self) -> None:
        self._clipped = 0
        self._running = 0
        self._frames = 0
        self._sum = 0.0
        self._power = 0.0
        self._difference = 0.0
        self._channels = 1

    def feed(self, block: NDArray[np.float32]) -> None:
        """Take in a block."""
        self._channels = block.shape[1]
        self._frames += len(block)
        self._sum += float(block.sum(dtype=np.float64)) / block.shape[1]
        if self._channels == 2:
            side = block[:, 0] - block[:, 1]
            self._difference += float(np.dot(side, side))
            self._power += float(np.dot(block[:, 0], block[:, 0]))
        self._count_runs(block)

    def _count_runs(self, block: NDArray[np.float32]) -> None:
        # most blocks have none: one look at the highest sample is enough
        if max(float(block.max(initial=0.0)), -float(block.min(initial=0.0))) < _FULL:
            self._running = 0
            return
        full = np.asarray((np.abs(block) >= _FULL).any(axis=1))
        edges = np.flatnonzero(np.diff(np.pad(full.astype(np.int8), 1)))
        for first, last in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
            before = self._running if first == 0 else 0
            length = before + last - first
            if length >= _RUN and before < _RUN:
                self._clipped += 1
            self._running = length if last == len(full) else 0
        if not full[-1]:
            self._running = 0

    def remarks(self) -> list[str]:
        """One sentence for each flaw, with what to do."""
        out = []
        if self._clipped:
            times = "once" if self._clipped == 1 else f"{self._clipped} times"
            out.append(
                f"Clipped {times}: record it again lower, or repair the clipping on the Bench."
            )
        same = self._power * 10.0 ** (_SAME_DB / 10.0)
        if self._channels == 2 and self._power > 0 and self._difference <= same:
            out.append("Left and right are the same: the step Channels, mid, makes it mono.")
        mean = self._sum / max(1, self._frames)
        if abs(mean) > _DC:
            out.append(f"It sits {mean:+.2f} off zero: the step Remove DC mends that.")
        return out
