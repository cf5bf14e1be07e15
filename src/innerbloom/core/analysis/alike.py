"""Where in one recording something is as a stretch of another is in its own.

Both are looked at twenty times a second: cepstra of mel bands, the level and its change [3]_, each without the mean of
its recording and in units of how far it strays there, so that what is bright, loud or still *for that
recording* is compared, and not what it is a recording of. A stretch is compared look by look with
every stretch as long; levels every 5 ms then say where exactly it begins.

References
----------
.. [1] S. Davis and P. Mermelstein, "Comparison of parametric representations for monosyllabic word
   recognition", IEEE Trans. ASSP 28(4), 1980: cepstra of mel bands.
.. [2] O. Viikki and K. Laurila, "Cepstral domain segmental feature vector normalization for noise
   robust speech recognition", Speech Communication 25, 1998: mean and spread taken off.
.. [3] S. Furui, "Speaker-independent isolated word recognition using dynamic features of speech
   spectrum", IEEE Trans. ASSP 34(1), 1986.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.analysis.take_features import LOOK_S, FeatureCollector
from innerbloom.core.sound.files import read_blocks, sound_info

LONGEST_S = 300.0
"""How much of a recording is looked at."""

_COEFFICIENTS, _HIDDEN_DB = 6, 70.0
"""Coefficients of the colour as a whole: finer ones tell one pitch from another."""

_LEVEL_WEIGHT, _CHANGE_WEIGHT = 6.0, 3.0
"""The level and how it changes count as much as so many coefficients."""

_AHEAD_S, _REACH_S = 0.1, 0.15
_LEAST_SPREAD = 0.5
"""In dB: what strays less is the same everywhere."""

_SAME_PLACE = 0.05
"""What all of the way from the same place to the other end costs, in mean squared spreads."""


@dataclass(frozen=True)
class Looks:
    """A part of a recording as stretches are compared in it.

    Attributes
    ----------
    values : ndarray of float64, shape (looks, coefficients + 2)
        Every 50 ms: level, cepstra, and how the level changes.
    fine : ndarray of float64, shape (n, 2)
        Every ``hop_s`` seconds: level, and strength of an onset, in units of how far each strays.
    start_s : float
        Where the part begins in its recording.
    """

    values: NDArray[np.float64]
    fine: NDArray[np.float64]
    hop_s: float
    start_s: float

    @property
    def seconds(self) -> float:
        return len(self.values) * LOOK_S


def looks_at(path: Path, about: float = 0.0) -> Looks:
    """What a file is like all along; of a long one, five minutes about a share 0..1 of it.

    Raises
    ------
    SoundFileError
    """
    info = sound_info(path)
    most = round(LONGEST_S * info.rate)
    first = max(0, min(round(about * info.frames) - most // 2, info.frames - most))
    collector = FeatureCollector(info.rate)
    for block in read_blocks(path, start=first, frames=most):
        collector.feed(block)
    bands, onsets = collector.looks()
    loudest = bands.max() if bands.size else 0.0
    heard = np.maximum(bands - loudest, -_HIDDEN_DB).astype(np.float64)
    cepstra = scipy.fft.dct(heard, axis=1, norm="ortho")[:, : _COEFFICIENTS + 1]
    level = np.maximum(onsets.level_db.astype(np.float64), loudest - _HIDDEN_DB)
    fine = np.stack((level, onsets.values.astype(np.float64)), axis=1)
    fine /= np.maximum(fine.std(axis=0), 1e-9) if len(fine) else 1.0
    return Looks(_compared(cepstra), fine, onsets.hop_s, first / info.rate)


def _compared(cepstra: NDArray[np.float64]) -> NDArray[np.float64]:
    """Cepstra, the first of which is the level, and its change, without mean and of one spread."""
    if not len(cepstra):
        return np.zeros((0, _COEFFICIENTS + 2))
    change = np.gradient(cepstra[:, :1], axis=0) if len(cepstra) > 1 else np.zeros((1, 1))
    values = np.hstack((cepstra, change))
    values -= values.mean(axis=0)
    values /= np.maximum(values.std(axis=0), _LEAST_SPREAD)
    values[:, 0] *= np.sqrt(_LEVEL_WEIGHT)
    values[:, -1] *= np.sqrt(_CHANGE_WEIGHT)
    return values


class LooksOf:
    """What recordings are like all along, each looked at once.

    Parameters
    ----------
    readable : callable
        Gives the file of a recording by its digest.
    """

    def __init__(self, readable: Callable[[str], Path]) -> None:
        self._readable = readable
        self._found: dict[tuple[str, float], Looks] = {}

    def __call__(self, digest: str, about: float) -> Looks:
        path = self._readable(digest)
        # of a long one, each stretch needs the part that it lies in
        key = (digest, about if sound_info(path).seconds > LONGEST_S else 0.0)
        if key not in self._found:
            self._found[key] = looks_at(path, key[1])
        return self._found[key]


def alike_start(old: Looks, start_s: float, length_s: float, new: Looks, share: float) -> float:
    """Where the stretch of ``new`` begins that is most like one of ``old``, in seconds.

    Parameters
    ----------
    start_s, length_s : float
        Of the stretch, in the recording that ``old`` is a part of.
    share : float
        Share of the new recording's length at which the stretch would lie as it did in the old
        one, 0..1: of stretches that are as much alike, the nearest to it is taken.
    """
    at = max(0, round((start_s - old.start_s) / LOOK_S))
    wanted = old.values[at : at + max(1, round(length_s / LOOK_S))]
    wanted = wanted[: len(new.values)]
    if not len(wanted):
        return new.start_s
    far = _distances(wanted, new.values)
    places = np.arange(len(far)) / max(1, len(new.values))
    best = int(np.argmin(far + _SAME_PLACE * np.abs(places - share)))
    begin = _refined(old, start_s - old.start_s, length_s, new, best * LOOK_S)
    longest = max(0.0, new.seconds - length_s)
    return new.start_s + min(max(begin, 0.0), longest)


def _distances(wanted: NDArray[np.float64], values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Mean squared distance of a stretch to each as long, shape (len(values) - len(wanted) + 1,)."""
    size, width = wanted.shape
    ends = np.concatenate(([0.0], np.cumsum(np.sum(values**2, axis=1))))
    power = ends[size:] - ends[:-size]
    products = scipy.signal.fftconvolve(values, wanted[::-1], mode="valid", axes=0).sum(axis=1)
    far = power - 2.0 * products + float(np.sum(wanted**2))
    return np.asarray(np.maximum(far, 0.0) / (size * width))


def _refined(old: Looks, start_s: float, length_s: float, new: Looks, about_s: float) -> float:
    """The beginning within a few looks either way at which both run most alike, in seconds.

    What comes just before counts too: where something begins is seen by that.
    """
    ahead, reach = round(_AHEAD_S / old.hop_s), round(_REACH_S / new.hop_s)
    first, count = round(start_s / old.hop_s), max(1, round(length_s / old.hop_s))
    best, least = about_s, np.inf
    for moved in sorted(range(-reach, reach + 1), key=abs):
        at = round(about_s / new.hop_s) + moved
        lead = min(ahead, first, at)
        wanted, found = old.fine[first - lead : first + count], new.fine[at - lead : at + count]
        size = min(len(wanted), len(found))
        if at < 0 or size < max(2, lead + count - reach):
            continue
        apart = wanted[:size] - found[:size]
        # one may be louder all along
        apart[:, 0] -= apart[:, 0].mean()
        far = float(np.mean(apart**2))
        if far < least - 1e-6:
            best, least = at * new.hop_s, far
    return best
