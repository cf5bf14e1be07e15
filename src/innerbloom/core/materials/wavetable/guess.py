"""Finding out how long the frames of a wavetable file are.

A file may say it, in several open ways; else the sound does: frames that follow each other
are alike, so it agrees with itself one frame later (autocorrelation), and each frame closes on
itself, end to beginning.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.materials.wavetable.table import MOST_FRAMES, TableError
from innerbloom.core.sound.files import read_stretch
from innerbloom.core.sound.metadata import read_origin
from innerbloom.core.sound.sampler import read_sampler
from innerbloom.core.sound.takes import read_take

LEAST_CYCLE, MOST_CYCLE = 16, 16_384
_SAID = re.compile(r"(\d{2,5}) samples (?:a|per) (?:frame|cycle)", re.IGNORECASE)
_IN_NAME = re.compile(r"(?<!\d)(\d{2,5})(?!\d)")
_MUCH_ALIKE = 0.5
_AS_GOOD = 0.03
_CLOSED = 1.0
"""Gap at the seam, in usual steps from sample to sample, up to which a frame is closed."""


@dataclass(frozen=True)
class Layout:
    """How a file is divided.

    Attributes
    ----------
    cycle : int
        Samples of a frame.
    frames : int
    how : str
        What says so, in words.
    sure : bool
        Whether the file says so itself, or the sound is clear about it.
    """

    cycle: int
    frames: int
    how: str
    sure: bool


def layout_of(path: Path, name: str | None = None) -> Layout:
    """How a file of cycles is divided.

    Parameters
    ----------
    name : str, optional
        What the file was called, where it is kept under another name.

    Raises
    ------
    SoundFileError, TableError
        If it cannot be read, or is too short to hold a cycle.
    """
    samples, _ = read_stretch(path, 0.0, None, 60.0)
    mono = samples.mean(axis=1, dtype=np.float64)
    total = len(mono)
    if total < LEAST_CYCLE:
        raise TableError(f"'{path.name}' has {total} samples: too few for a cycle.")
    for cycle, how in _said(path, total, name or path.name):
        fits = LEAST_CYCLE <= cycle <= MOST_CYCLE and total % cycle == 0
        if fits and total // cycle <= MOST_FRAMES:
            return Layout(cycle, total // cycle, how, True)
    cycle, sure = guess_cycle(mono)
    how = "the sound agrees with itself" if sure else "a guess by the sound"
    return Layout(cycle, max(1, total // cycle), how, sure)


def _said(path: Path, total: int, name: str) -> list[tuple[int, str]]:
    """What a file says of itself, the most explicit first."""
    said = []
    text = _SAID.search(read_origin(path).notes)
    if text:
        said.append((int(text.group(1)), "its text says so"))
    marks = np.array(read_take(path).markers)
    if len(marks) > 1 and np.ptp(np.diff(marks)) == 0:
        said.append((int(marks[1] - marks[0]), "its markers are so far apart"))
    sampler = read_sampler(path)
    for loop in sampler.loops if sampler else ():
        if loop.start == 0 and loop.end < total:
            said.append((loop.end - loop.start, "its first loop is so long"))
    for digits in reversed(_IN_NAME.findall(name)):
        said.append((int(digits), "its name says so"))
    return said


def guess_cycle(mono: NDArray[np.float64]) -> tuple[int, bool]:
    """The likeliest length of a frame, and whether the sound is clear about it.

    Lengths that divide the whole are tried, of these the ones whose frames close on themselves.
    The shortest is taken after which the sound is about as much alike as after any; where
    nothing is alike, the shortest that closes.
    """
    total = len(mono)
    candidates = np.array(
        [
            size
            for size in range(LEAST_CYCLE, min(total, MOST_CYCLE) + 1)
            if total % size == 0 and total // size <= MOST_FRAMES
        ]
    )
    if not len(candidates):
        return min(total, 2_048), False
    if len(candidates) == 1:
        return int(candidates[0]), False
    gaps = np.array([_open_by(mono, int(size)) for size in candidates])
    closed = candidates[gaps <= _CLOSED]
    alike = _likeness(mono, closed[closed <= total // 2])
    best = float(alike.max(initial=-1.0))
    if best >= _MUCH_ALIKE:
        return int(closed[np.argmax(alike >= best - _AS_GOOD)]), True
    likeliest = closed[0] if len(closed) else candidates[int(np.argmin(gaps))]
    return int(likeliest), False


def _likeness(mono: NDArray[np.float64], lags: NDArray[np.int64]) -> NDArray[np.float64]:
    """Correlation with itself so many samples later, -1..1."""
    total = len(mono)
    size = scipy.fft.next_fast_len(2 * total)
    product = scipy.fft.irfft(np.abs(scipy.fft.rfft(mono, size)) ** 2, size)
    below = np.concatenate(([0.0], np.cumsum(mono**2)))
    head, tail = below[total - lags], below[total] - below[lags]
    return np.asarray(product[lags] / np.maximum(np.sqrt(head * tail), 1e-12))


def _open_by(mono: NDArray[np.float64], size: int) -> float:
    """How far frames of a length fail to close on themselves: steps there against steps inside."""
    rows = mono.reshape(-1, size)
    # the step from end to beginning, foretold by the steps on either side of it
    ends = rows[:, 0] - rows[:, -1]
    beside = 0.5 * ((rows[:, -1] - rows[:, -2]) + (rows[:, 1] - rows[:, 0]))
    inside = np.abs(np.diff(rows, axis=1)).mean()
    return float(np.abs(ends - beside).mean() / max(inside, 1e-12))
