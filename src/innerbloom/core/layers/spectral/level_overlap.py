"""How far sounds of a morph are loud at the same time.

Loudness that is mixed in dB from moment to moment multiplies: where one sound swells while another
fades, the mean power half way is their own times the overlap of the two curves, which is their
Bhattacharyya coefficient (A. Bhattacharyya, "On a measure of divergence between two statistical
populations defined by their probability distributions", Bull. Calcutta Math. Soc. 35, 1943).
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import option
from innerbloom.core.layers.spectral.loudness import power_of_bands
from innerbloom.core.layers.spectral.parameters import SPECTRAL
from innerbloom.core.materials.spectrum.prepared import NOISE, PARTIAL_BANDS, PlayedSpectrum

_STILL = option(SPECTRAL, "motion", "still")
_LEAST = 10.0 ** (-10.0 / 10.0)
"""Least overlap that is made up for."""

_MOMENTS = 1_000
"""About as many of a long sound are looked at: this is done at every edit of an instrument."""

_QUIETEST = 1e-8
"""Power against a curve's mean below which a moment counts as silent."""


def level_overlap(sounds: Sequence[PlayedSpectrum]) -> NDArray[np.float64]:
    """Natural logarithm of the overlap of each two sounds' levels, 0 where they move together.

    Parameters
    ----------
    sounds : sequence of PlayedSpectrum
        Read side by side from their beginnings to their ends, whatever their lengths.

    Returns
    -------
    ndarray of float64, shape (sounds * sounds,)
        Row by row; nothing where there are fewer than two.
    """
    count = len(sounds)
    if count < 2:
        return np.zeros(0)
    curves = [_curve(sound) for sound in sounds]
    steps = np.linspace(0.0, 1.0, max(len(curve) for curve in curves))
    roots = [np.sqrt(np.interp(steps, np.linspace(0.0, 1.0, len(one)), one)) for one in curves]
    roots = [one / max(float(np.linalg.norm(one)), 1e-20) for one in roots]
    overlap = np.zeros((count, count))
    for i, j in itertools.combinations(range(count), 2):
        overlap[i, j] = overlap[j, i] = np.log(np.clip(roots[i] @ roots[j], _LEAST, 1.0))
    return overlap.ravel()


def _curve(sound: PlayedSpectrum) -> NDArray[np.float64]:
    """K-weighted power at even moments, no less than a floor; without strikes, which stay as they are."""
    tonal, noise = (sound.part(number) for number in (PARTIAL_BANDS, NOISE))
    some = slice(None, None, max(1, len(noise) // _MOMENTS))
    power = power_of_bands(tonal[some].astype(np.float64) ** 2, noise[some].astype(np.float64) ** 2)
    return np.maximum(power, _QUIETEST * float(power.mean()))


@borrowing
def overlap_gain(s, weights, overlap, count):
    """What the power of a morph is raised by, so that its mean keeps to the line; 1 or more.

    Half way between two sounds it makes up for all of their overlap, and on the way for as much as
    of levels that spread evenly in dB. A place that stands still keeps its own level.
    """
    if s.motion == _STILL or len(overlap) == 0:
        return 1.0
    lost = 0.0
    for i in range(count):
        for j in range(i):
            lost += 4.0 * weights[i] * weights[j] * overlap[i * count + j]
    return math.exp(-lost)
