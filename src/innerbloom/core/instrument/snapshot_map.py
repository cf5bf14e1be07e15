"""The map: what lies between snapshots that were put on a square.

A place is blended from all snapshots on the map, the nearer ones counting more: inverse distance
weighting with a power of 2 [1]_. At a snapshot's place the blend is that snapshot.

References
----------
.. [1] D. Shepard, "A two-dimensional interpolation function for irregularly-spaced data",
       Proc. 23rd ACM National Conference, 1968, pp. 517-524.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from innerbloom.core.declare.parameters import (
    Declared,
    Parameter,
    Scale,
    changes_at_once,
    engine_value,
    from_share,
    to_share,
)
from innerbloom.core.instrument.snapshots import Snapshot, differing, whole_state


def weights(places: NDArray[np.float64], at: ArrayLike) -> NDArray[np.float64]:
    """How much each snapshot counts at a place.

    Parameters
    ----------
    places : ndarray of float64, shape (n, 2)
    at : array_like, shape (2,)

    Returns
    -------
    ndarray of float64, shape (n,)
        They add up to 1.
    """
    squares = np.sum((places - np.asarray(at, np.float64)) ** 2, axis=1)
    nearest = int(np.argmin(squares))
    if squares[nearest] < 1e-18:
        # there, and no division by almost nothing
        alone = np.zeros(len(places))
        alone[nearest] = 1.0
        return alone
    inverse = squares[nearest] / squares
    return np.asarray(inverse / inverse.sum(), np.float64)


@dataclass(frozen=True)
class _Group:
    """Parameters that are blended alike: those of one scale, or whole numbers."""

    keys: NDArray[np.int64]
    scale: Scale | None
    low: NDArray[np.float64]
    high: NDArray[np.float64]

    def shares_of(self, values: NDArray[np.float64]) -> NDArray[np.float64]:
        found = values if self.scale is None else to_share(self.scale, self.low, self.high, values)
        return np.asarray(found, np.float64)

    def values_of(self, shares: NDArray[np.float64]) -> NDArray[np.float64]:
        if self.scale is None:
            return np.round(shares)
        return np.asarray(from_share(self.scale, self.low, self.high, shares), np.float64)


def _groups(declared: list[Declared]) -> tuple[_Group, ...]:
    """Everything but choices, by how it is blended."""
    found: dict[Scale | None, list[tuple[int, Parameter]]] = {}
    for i, one in enumerate(declared):
        if isinstance(one, Parameter):
            scale = None if changes_at_once(one) else one.scale
            found.setdefault(scale, []).append((i, one))
    return tuple(
        _Group(
            np.array([i for i, _ in some]),
            scale,
            np.array([p.low for _, p in some], np.float64),
            np.array([p.high for _, p in some], np.float64),
        )
        for scale, some in found.items()
    )


@dataclass(frozen=True)
class SnapshotMap:
    """Snapshots on a square, and all on which they differ.

    Attributes
    ----------
    ids : tuple of str
        Of the snapshots.
    keys : tuple of (owner, parameter)
        Ids of what they differ on.
    declared : tuple of Declared
        The parameters themselves.
    places : ndarray of float64, shape (snapshots, 2)
        Each in 0..1.
    values : ndarray of float64, shape (snapshots, keys)
        As the engine holds them: a choice is the place of its word.
    shares : ndarray of float64, shape (snapshots, keys)
        The same on each parameter's own scale; what changes at once as it is.
    groups : tuple
        What is blended alike.
    """

    ids: tuple[str, ...]
    keys: tuple[tuple[str, str], ...]
    declared: tuple[Declared, ...]
    places: NDArray[np.float64]
    values: NDArray[np.float64]
    shares: NDArray[np.float64]
    groups: tuple[_Group, ...]

    def at(self, place: ArrayLike) -> NDArray[np.float64]:
        """All values at a place, in the order of the keys.

        Continuous ones lie between those of the snapshots, each on its own scale; choices are
        those of the nearest, and whole numbers are rounded.
        """
        shares = weights(self.places, place)
        nearest = int(np.argmax(shares))
        if shares[nearest] == 1.0:
            return np.array(self.values[nearest])
        mixed: NDArray[np.float64] = shares @ self.shares
        found = self.values[nearest].copy()
        for one in self.groups:
            found[one.keys] = one.values_of(mixed[one.keys])
        # rounding leads no value out of the range that the snapshots span
        return np.asarray(np.clip(found, self.values.min(axis=0), self.values.max(axis=0)))


def map_of(document: Any) -> SnapshotMap | None:
    """The map of a document; None where nothing lies between fewer than two snapshots."""
    placed: list[Snapshot] = [one for one in document.snapshots if one.place is not None]
    differences = differing(document, placed)
    if not differences:
        return None
    values = np.array([
        [engine_value(one, state[owner.id][one.id]) for owner, one in differences]
        for state in (whole_state(document, snapshot) for snapshot in placed)
    ])  # fmt: skip
    shares, groups = values.copy(), _groups([one for _, one in differences])
    for group in groups:
        shares[:, group.keys] = group.shares_of(values[:, group.keys])
    return SnapshotMap(
        tuple(one.id for one in placed),
        tuple((owner.id, one.id) for owner, one in differences),
        tuple(one for _, one in differences),
        np.array([one.place for one in placed], np.float64),
        values,
        shares,
        groups,
    )
