"""Where a sound changes as a whole: novelty along its self-similarity.

A kernel like a checkerboard, tapered by a Gaussian, is moved along the main diagonal of the matrix
that says how alike any two moments are: it answers where what comes is like itself, what went is
like itself, and the two are unlike. J. Foote, "Automatic audio segmentation using a measure of
audio novelty", ICME 2000.
"""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d

_TAPER = 0.5
"""Standard deviation of the Gaussian, as a share of half the kernel."""


def checkerboard(half: int) -> NDArray[np.float64]:
    """The kernel, shape (2 * half, 2 * half): positive where both moments lie on one side."""
    at = (np.arange(2 * half) - half + 0.5) / half
    taper = np.exp(-0.5 * (at / _TAPER) ** 2)
    side = np.sign(at)
    return np.asarray(np.outer(side * taper, side * taper))


def similar_nearby(features: NDArray[np.float64], reach: int) -> NDArray[np.float64]:
    """How alike moments are that lie up to ``reach`` - 1 apart, 0..1, shape (reach, n).

    Row d holds the likeness of moment i and moment i + d: 1 for the same, falling with the square
    of the Euclidean distance. ``features`` has shape (n, size), scaled so that 1 is far apart.
    """
    count = len(features)
    band = np.ones((reach, count))
    for apart in range(1, min(reach, count)):
        away = features[apart:] - features[:-apart]
        band[apart, : count - apart] = np.exp(-np.einsum("ij,ij->i", away, away))
    return band


def novelty(features: NDArray[np.float64], half: int) -> NDArray[np.float64]:
    """Novelty at the border before each moment, shape (n,): 0 where nothing changes, up to 1.

    Parameters
    ----------
    features : ndarray, shape (n, size)
        Scaled so that a distance of 1 is far apart.
    half : int
        Moments that the kernel reaches either way.

    References
    ----------
    Foote 2000; see the module. Only the part of the matrix under the kernel is worked out.

    Examples
    --------
    >>> novelty(np.repeat([[0.0], [3.0]], 20, axis=0), 8).argmax()
    20
    """
    kernel = checkerboard(half)
    padded = np.pad(features, ((half, half), (0, 0)), mode="edge")
    band = similar_nearby(padded, 2 * half)
    total = np.zeros(len(features))
    for apart in range(2 * half):
        weights = np.diagonal(kernel, apart)
        sides = 1.0 if apart == 0 else 2.0
        along = scipy.signal.oaconvolve(band[apart], weights[::-1], mode="valid")
        total += sides * along[: len(features)]
    return np.asarray(np.maximum(total / np.abs(kernel).sum(), 0.0))


def borders(curve: NDArray[np.float64], least: float, apart: int) -> NDArray[np.intp]:
    """Where a novelty curve peaks above ``least``, no two peaks closer than ``apart``."""
    highest = maximum_filter1d(curve, 2 * apart + 1)
    return np.flatnonzero((curve >= highest) & (curve > least))
