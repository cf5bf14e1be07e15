"""Where a film cuts from one shot to the next.

Shots are told apart by how much the histogram of colours changes from one frame to the next, held
against how much it changes about that place: a cut is a single large step among small ones, while a
flash or a fast move makes several (H. Zhang, A. Kankanhalli and S. W. Smoliar, "Automatic partitioning of
full-motion video", Multimedia Systems 1, 1993; the threshold about each place as in B.-L. Yeo and B. Liu,
"Rapid scene analysis on compressed video", IEEE Trans. CSVT 5(6), 1995).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_LEVELS = 8
BINS = _LEVELS**3
_REACH = 12
"""Frames on either side that a step is held against."""

_TIMES_MORE = 3.0
_STRONGER = 8.0
_LEAST = 0.25
"""Share of all pixels that have to change their bin."""


class ChangeMeter:
    """How much each picture differs from the one before.

    The lesser of two measures: the share of pixels whose colour falls into another bin, which a
    moving picture hardly changes, and how far pixels are from those before, which a fade hardly does.
    """

    def __init__(self) -> None:
        self._before: NDArray[np.float32] | None = None
        self._counted = np.zeros(BINS, np.float32)

    def feed(self, picture: NDArray[np.uint8]) -> float:
        """Take in a picture of shape (height, width, 3); gives 0..1, 0 for the first."""
        counted, now = histogram(picture), picture.astype(np.float32)
        before, self._before = self._before, now
        moved, self._counted = 0.5 * np.abs(counted - self._counted).sum(), counted
        if before is None:
            return 0.0
        return float(min(moved, _STRONGER * np.abs(now - before).mean() / 255.0, 1.0))


def histogram(picture: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Shares of pixels in each of 512 bins of colour, shape (512,)."""
    coarse = (picture >> 5).astype(np.int64)
    bins = (coarse[..., 0] * _LEVELS + coarse[..., 1]) * _LEVELS + coarse[..., 2]
    counts = np.bincount(bins.ravel(), minlength=BINS)
    return (counts / bins.size).astype(np.float32)


def find_cuts(change: NDArray[np.float32], shortest: int) -> list[int]:
    """First frames of shots, without that of the first one.

    Parameters
    ----------
    change : ndarray, shape (frames,)
        As by :class:`ChangeMeter`.
    shortest : int
        Fewest frames between two cuts; of nearer ones the stronger is taken.
    """
    found: list[int] = []
    for at in np.argsort(-change, kind="stable"):
        if change[at] < _LEAST:
            break
        about = np.concatenate((change[max(0, at - _REACH) : at], change[at + 1 : at + 1 + _REACH]))
        alone = change[at] >= _TIMES_MORE * float(about.max(initial=0.0)) or (
            # two cuts in quick succession are both cuts
            change[at] >= 2.0 * _TIMES_MORE * float(np.median(about)) and change[at] >= 2.0 * _LEAST
        )
        if alone and all(abs(int(at) - one) >= shortest for one in found):
            found.append(int(at))
    return sorted(found)
