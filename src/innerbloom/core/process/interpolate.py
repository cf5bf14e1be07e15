"""Samples that are missing, from an autoregressive model of those around them.

The missing samples are those that leave the least excitation in the model; model and samples are
found in turns (A. Janssen, R. Veldhuis and L. Vries, "Adaptive interpolation of discrete-time
signals that can be modeled as autoregressive processes", IEEE Trans. ASSP 34(2), 1986).
"""

from __future__ import annotations

import numpy as np
import scipy.linalg
from numpy.typing import NDArray

_DAMPED = 1e-10
"""Share of white noise that keeps the model from resting on rounding."""


def autoregression(x: NDArray[np.float64], order: int) -> NDArray[np.float64]:
    """Coefficients of the prediction error filter, shape (order + 1,), the first one 1.

    Least squares of the errors forward and backward (the modified covariance method: S. M. Kay,
    "Modern Spectral Estimation", 1988), which a window would blur.
    """
    rows = np.lib.stride_tricks.sliding_window_view(x, order + 1)
    gram = rows.T @ rows
    # backward, the same samples stand in the opposite order
    gram += gram[::-1, ::-1]
    damped = _DAMPED * np.trace(gram) / len(gram) + 1e-30
    normal = gram[:-1, :-1] + damped * np.eye(order)
    # the last column is predicted from those before it, the nearest last
    predicted = scipy.linalg.solve(normal, -gram[:-1, -1], assume_a="pos")
    return np.concatenate(([1.0], predicted[::-1]))


def excitation(x: NDArray[np.float64], model: NDArray[np.float64]) -> NDArray[np.float64]:
    """What the model cannot predict of each sample."""
    return np.asarray(scipy.signal.lfilter(model, [1.0], x))


def interpolate(
    x: NDArray[np.float64], missing: NDArray[np.bool_], *, order: int, turns: int = 3
) -> NDArray[np.float64]:
    """A stretch with its missing samples made anew.

    Parameters
    ----------
    x, missing : ndarrays, shape (n,)
        The ends of the stretch, ``order`` samples each, have to be known.
    order : int
        Of the model.
    turns : int
        How often model and samples are found from one another.
    """
    places = np.flatnonzero(missing)
    if not len(places):
        return x
    made = np.where(missing, 0.0, x)
    # a straight line to begin with, so that the first model does not hear a hole
    made[places] = np.interp(places, np.flatnonzero(~missing), x[~missing])
    for _ in range(turns):
        model = autoregression(made, order)
        correlation = np.correlate(model, model, "full")[order:]
        known = np.where(missing, 0.0, made)
        pulled = np.convolve(known, np.concatenate((correlation[:0:-1], correlation)), "same")
        made[places] = _solved(places, correlation, -pulled[places])
    return made


def _solved(
    places: NDArray[np.intp], correlation: NDArray[np.float64], pulled: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Solve for the missing samples: each is bound to those no further away than the order."""
    order, count = len(correlation) - 1, len(places)
    bands = np.zeros((min(order, count - 1) + 1, count))
    for row in range(len(bands)):
        apart = places[row:] - places[: count - row]
        bands[row, : count - row] = np.where(
            apart <= order, correlation[np.minimum(apart, order)], 0.0
        )
    return np.asarray(scipy.linalg.solveh_banded(bands, pulled, lower=True))
