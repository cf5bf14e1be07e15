"""The outline of a spectrum over time, as line spectral frequencies.

An all-pole outline is fitted to the levels of partials and noise on a Bark-like axis (H. W. Strube,
"Linear prediction on a warped frequency scale", JASA 68(4), 1980; axis after H. Traunmüller,
"Analytical expressions for the tonotopic sensory scale", JASA 88(1), 1990). Its line spectral
frequencies (F. Itakura, JASA 57, 1975) stay stable when they are mixed, and formants then lie
between those of what is mixed (K. K. Paliwal, "Interpolation properties of linear prediction
parametric representations", Eurospeech 1995).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import toeplitz

from innerbloom.core.materials.spectrum.bands import band_hz
from innerbloom.core.materials.spectrum.model import RATE, Spectrum

ORDER = 24
EVERY = 4
"""Moments between two outlines: 21 ms."""

WARP_HZ = 1960.0
_GRID = 128
_FLOOR_DB = -70.0
_LAG_WINDOW = 0.01
_EVEN = 1e-4


def warped(hz: NDArray[np.float64]) -> NDArray[np.float64]:
    """Place of frequencies on the axis, in radians: 0 at 0 Hz, pi at half of RATE."""
    top = RATE / 2.0
    return np.asarray(np.pi * hz * (WARP_HZ + top) / (top * (WARP_HZ + hz)))


def _grid_hz() -> NDArray[np.float64]:
    place = (np.arange(_GRID) + 0.5) / _GRID
    top = RATE / 2.0
    return np.asarray(WARP_HZ * place * top / (WARP_HZ + top * (1.0 - place)))


def outlines(spectrum: Spectrum) -> NDArray[np.float32]:
    """Outlines every EVERY moments, shape (count, ORDER + 1).

    The line spectral frequencies, rising within 0..pi, and the logarithm of the gain: the outline
    is
    ``exp(gain) / |A|`` in units of a partial's peak amplitude.
    """
    power = _powers(spectrum)
    lag = np.cos(np.outer(np.arange(ORDER + 1), np.pi * (np.arange(_GRID) + 0.5) / _GRID))
    correlation = power @ lag.T / _GRID
    correlation *= np.exp(-0.5 * (_LAG_WINDOW * np.arange(ORDER + 1)) ** 2)
    correlation[:, 0] *= 1.0 + _EVEN
    poles, error = _levinson(correlation)
    made = np.empty((len(power), ORDER + 1), np.float32)
    made[:, :ORDER] = line_frequencies(poles)
    made[:, ORDER] = 0.5 * np.log(np.maximum(error, 1e-30))
    return made


def _powers(spectrum: Spectrum) -> NDArray[np.float64]:
    """Power of the outline on the grid at every EVERY-th moment, shape (count, _GRID)."""
    moments = np.arange(0, spectrum.moments, EVERY)
    hz, level = _sounding(spectrum, moments)
    grid = np.log(_grid_hz())
    bands = np.log(band_hz())
    made = np.empty((len(moments), _GRID))
    for row, moment in enumerate(moments):
        noise_db = 20.0 * np.log10(spectrum.noise[moment] * np.sqrt(2.0) + 1e-6)
        db = np.interp(grid, bands, noise_db)
        there = level[row] > 1e-6
        if there.any():
            order = np.argsort(hz[row][there])
            at = np.log(hz[row][there][order])
            loud = 20.0 * np.log10(level[row][there][order])
            # beyond the last partial the outline falls with the noise, or 12 dB in an octave
            beyond = np.maximum(grid - at[-1], 0.0) * 12.0 / np.log(2.0)
            partials = np.interp(grid, at, loud) - beyond
            db = (
                np.maximum(db, partials)
                if spectrum.tonal < 0.9
                else np.where(grid <= at[-1], partials, np.maximum(db, partials))
            )
        db = np.maximum(db, db.max() + _FLOOR_DB)
        made[row] = 10.0 ** (db / 10.0)
    return made


def _sounding(
    spectrum: Spectrum, moments: NDArray[np.int64]
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Frequency and level of the partials at some moments; level 0 where there are fewer."""
    most = max(1, spectrum.most_at_once)
    hz = np.zeros((len(moments), most), np.float32)
    level = np.zeros_like(hz)
    count = np.zeros(len(moments), np.int64)
    for track in spectrum.tracks:
        first = -(-track.first // EVERY)
        last = (track.first + len(track) - 1) // EVERY
        rows = np.arange(first, last + 1)
        at = rows * EVERY - track.first
        hz[rows, count[rows]], level[rows, count[rows]] = track.hz[at], track.level[at]
        count[rows] += 1
    return hz, level


def _levinson(r: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Prediction polynomials of shape (count, ORDER + 1) and their error, all rows at once."""
    a = np.zeros((len(r), ORDER + 1))
    a[:, 0] = 1.0
    error = r[:, 0].copy()
    for n in range(1, ORDER + 1):
        reflection = -np.sum(a[:, :n] * r[:, n:0:-1], axis=1) / np.maximum(error, 1e-30)
        reflection = np.clip(reflection, -0.999999, 0.999999)
        a[:, 1 : n + 1] += reflection[:, None] * a[:, n - 1 :: -1][:, :n]
        error *= 1.0 - reflection**2
    return a, error


def line_frequencies(a: NDArray[np.float64]) -> NDArray[np.float64]:
    """Line spectral frequencies of polynomials of shape (count, ORDER + 1), rising in 0..pi."""
    padded = np.pad(a, ((0, 0), (0, 1)))
    flipped = padded[:, ::-1]
    both, half = [], ORDER // 2
    for sign, root in ((1.0, -1.0), (-1.0, 1.0)):
        whole = padded + sign * flipped
        # the root at -1 or 1 that every one has is divided out
        divided = np.zeros((len(a), ORDER + 1))
        carried = np.zeros(len(a))
        for k in range(ORDER + 1):
            carried = whole[:, k] + root * carried
            divided[:, k] = carried
        series = np.concatenate((divided[:, half : half + 1], 2.0 * divided[:, :half][:, ::-1]), 1)
        both.append(np.arccos(np.clip(_chebyshev_roots(series), -1.0, 1.0)))
    return np.asarray(np.sort(np.concatenate(both, axis=1), axis=1))


def _chebyshev_roots(series: NDArray[np.float64]) -> NDArray[np.float64]:
    """Roots of Chebyshev series, one a row, by their colleague matrices (Good 1961)."""
    degree = series.shape[1] - 1
    basic = np.asarray(toeplitz([0.0, 0.5, *[0.0] * (degree - 2)]))
    basic[0, 1] = np.sqrt(0.5)
    basic[1, 0] = np.sqrt(0.5)
    matrices = np.repeat(basic[None], len(series), axis=0)
    last = 0.5 * series[:, :-1] / series[:, -1:]
    last[:, 0] *= np.sqrt(2.0)
    matrices[:, -1, :] -= last
    return np.asarray(np.linalg.eigvals(matrices).real)
