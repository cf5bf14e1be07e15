"""Outlines of spectra to look at: of one, of another, and of what lies between."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.materials.spectrum.envelope import ORDER, warped

COLUMNS = 160
_LOWEST_HZ, _HIGHEST_HZ = 40.0, 16_000.0


def column_hz() -> NDArray[np.float64]:
    """Frequencies at which outlines are drawn, even by octaves."""
    return np.geomspace(_LOWEST_HZ, _HIGHEST_HZ, COLUMNS)


def outline_db(outline: NDArray[np.float64], hz: NDArray[np.float64]) -> NDArray[np.float64]:
    """Level of an outline at frequencies, in dB of a partial's peak amplitude."""
    c = np.cos(warped(hz))[:, None]
    lines = 2.0 * (c - np.cos(outline[None, :ORDER]))
    even, odd = np.prod(lines[:, 0::2] ** 2, axis=1), np.prod(lines[:, 1::2] ** 2, axis=1)
    size = 0.5 * (1.0 + c[:, 0]) * even + 0.5 * (1.0 - c[:, 0]) * odd
    return np.asarray(
        20.0 / np.log(10.0) * outline[ORDER] - 10.0 * np.log10(np.maximum(size, 1e-12))
    )


def mixed(
    outlines_of: list[NDArray[np.float64]], shares: list[float], gains_db: list[float]
) -> NDArray[np.float64]:
    """The outline between several, each brought to its level, as the engine mixes them."""
    out = np.zeros(ORDER + 1)
    for outline, share, gain in zip(outlines_of, shares, gains_db, strict=True):
        raised = outline.copy()
        raised[ORDER] += gain * np.log(10.0) / 20.0
        out += share * raised
    return out
