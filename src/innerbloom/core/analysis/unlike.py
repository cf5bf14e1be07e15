"""Which of many sounds are most unlike one another, and a map of how unlike they are.

References
----------
.. [1] T. F. Gonzalez, "Clustering to minimize the maximum intercluster distance", Theoretical
       Computer Science 38, 1985, pp. 293-306: farthest points first.
.. [2] W. S. Torgerson, "Multidimensional scaling: I. Theory and method", Psychometrika 17(4),
       1952, pp. 401-419.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.analysis.timbre import timbre_distances

Distances = NDArray[np.float64]


def distances_of(timbres: list[list[float]]) -> Distances:
    """How unlike each of several sounds is to each, shape (n, n); see :func:`.timbre_distances`.

    What is infinitely unlike, as silence is, counts as twice as unlike as anything else.
    """
    found = np.array([timbre_distances(one, timbres) for one in timbres]).reshape(len(timbres), -1)
    finite = found[np.isfinite(found)]
    return np.where(np.isfinite(found), found, 2.0 * max(1.0, finite.max(initial=1.0)))


def most_unlike(distances: Distances, count: int, given: Sequence[int] = ()) -> list[int]:
    """So many of several sounds, each as far as can be from all that were chosen before it [1]_.

    Parameters
    ----------
    distances : ndarray of float64, shape (n, n)
    count : int
        How many; all of them where there are no more.
    given : sequence of int
        Those that are chosen already.

    Returns
    -------
    list of int
        Their numbers: those given, or else the two that are most unlike, first.
    """
    total = len(distances)
    if count >= total:
        return list(range(total))
    pair = np.unravel_index(int(np.argmax(distances)), distances.shape)
    chosen = list(given) or [int(one) for one in pair][:count]
    nearest = distances[chosen].min(axis=0)
    while len(chosen) < count:
        chosen.append(int(np.argmax(nearest)))
        nearest = np.minimum(nearest, distances[chosen[-1]])
    return chosen


def nearest_of(distances: Distances) -> NDArray[np.float64]:
    """How far each sound is from the one that is most like it, shape (n,); 0 for one alone."""
    if len(distances) < 2:
        return np.zeros(len(distances))
    apart = distances + np.where(np.eye(len(distances), dtype=bool), np.inf, 0.0)
    return np.asarray(apart.min(axis=1))


def map_places(distances: Distances) -> NDArray[np.float64]:
    """Places on a square that keep distances as well as two directions can [2]_.

    Returns
    -------
    ndarray of float64, shape (n, 2)
        Each in 0..1, the widest direction across.
    """
    total = len(distances)
    if total < 2:
        return np.full((total, 2), 0.5)
    centring = np.eye(total) - 1.0 / total
    values, vectors = np.linalg.eigh(-0.5 * centring @ distances**2 @ centring)
    places = vectors[:, [-1, -2]] * np.sqrt(np.maximum(values[[-1, -2]], 0.0))
    span = np.ptp(places, axis=0).max()
    middle = 0.5 * (places.max(axis=0) + places.min(axis=0))
    return np.asarray(0.5 + (places - middle) / (span if span > 0 else 1.0))
