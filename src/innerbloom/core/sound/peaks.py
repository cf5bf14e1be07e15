"""The picture of a waveform: lowest and highest sample of every stretch."""

from __future__ import annotations

from functools import reduce

import numpy as np
from numpy.typing import NDArray

BIN = 256
"""Frames summed up by one stored pair."""


class PeakCollector:
    """Gathers pairs from a stream of blocks; all channels share one picture."""

    def __init__(self) -> None:
        self._pairs: list[NDArray[np.int16]] = []
        self._kept = np.zeros((0,), np.float32)
        self._kept_high = np.zeros((0,), np.float32)

    def feed(self, block: NDArray[np.float32]) -> None:
        """Take in a block of shape (frames, channels)."""
        # channel by channel: reducing over an axis of two is ten times slower
        low = np.concatenate((self._kept, reduce(np.minimum, block.T)))
        high = np.concatenate((self._kept_high, reduce(np.maximum, block.T)))
        whole = len(low) // BIN * BIN
        if whole:
            self._pairs.append(_pairs(low[:whole], high[:whole]))
        self._kept, self._kept_high = low[whole:], high[whole:]

    def pairs(self) -> NDArray[np.int16]:
        """All pairs, shape (bins, 2), full scale at 32767; the last bin may be short."""
        last = []
        if len(self._kept):
            lows, highs = self._kept.min(keepdims=True), self._kept_high.max(keepdims=True)
            last = [_quantised(np.stack((lows, highs), axis=1))]
        return np.concatenate([*self._pairs, *last, np.zeros((0, 2), np.int16)])


def _pairs(low: NDArray[np.float32], high: NDArray[np.float32]) -> NDArray[np.int16]:
    lows = low.reshape(-1, BIN).min(axis=1)
    highs = high.reshape(-1, BIN).max(axis=1)
    return _quantised(np.stack((lows, highs), axis=1))


def _quantised(pairs: NDArray[np.float32]) -> NDArray[np.int16]:
    return np.round(np.clip(pairs, -1.0, 1.0) * 32767.0).astype(np.int16)


def pairs_of(samples: NDArray[np.float32], by: int) -> NDArray[np.int16]:
    """Lowest and highest value over all channels of every ``by`` frames, shape (n, 2).

    ``samples`` has shape (frames, channels); the last stretch may be short.
    """
    starts = np.arange(0, len(samples), by)
    low = np.minimum.reduceat(samples.min(axis=1), starts)
    high = np.maximum.reduceat(samples.max(axis=1), starts)
    return _quantised(np.stack((low, high), axis=1))


def reduce_pairs(pairs: NDArray[np.int16], columns: int) -> NDArray[np.int16]:
    """Pairs for a picture that is ``columns`` wide, shape (columns, 2) or fewer rows."""
    if len(pairs) <= columns:
        return pairs
    edges = np.arange(columns) * len(pairs) // columns
    low = np.minimum.reduceat(pairs[:, 0], edges)
    high = np.maximum.reduceat(pairs[:, 1], edges)
    return np.stack((low, high), axis=1)


def outline(samples: NDArray[np.float32], stretches: int = 100) -> list[float]:
    """Lowest and highest sample of so many stretches, one after the other, of its own peak.

    ``samples`` has shape (frames, channels) and is folded down to one.
    """
    mono = samples.mean(axis=1)
    parts = np.array_split(mono, min(stretches, len(mono)))
    top = float(np.abs(mono).max(initial=1e-9))
    return [round(float(edge) / top, 3) for part in parts for edge in (part.min(), part.max())]
