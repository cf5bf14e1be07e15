"""Notes in a pitch track: where one ends and the next begins.

Each moment belongs to a note that it lies near, and a change of note has a price: the best course
through all moments is found by dynamic programming, as in M. Mauch and S. Dixon, "pYIN: A fundamental
frequency estimator using probabilistic threshold distributions", ICASSP 2014, and the note model
that M. Mauch et al. put on it (TENOR 2015). Vibrato and slow drift stay within a note.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.analysis.track import PitchTrack

_STEP = 0.25
"""Semitones between the notes that are tried."""

_SPREAD = 0.4
_MOST_OFF = 2.5
_CHANGE = 25.0
"""A change costs as much as lying a semitone off for 80 ms."""

_SAME, _GLIDE, _EDGE = 0.35, 0.9, 0.15
_GAP_S = 0.08


@dataclass(frozen=True)
class NoteSegment:
    """A note: its first moment and the one past its last, and its middle as a MIDI number."""

    first: int
    last: int
    note: float


def note_segments(track: PitchTrack) -> list[NoteSegment]:
    """Notes of a track, in order; together they cover every moment. Empty if nothing has a pitch."""
    voiced = np.flatnonzero(track.voiced)
    if not len(voiced):
        return []
    hop = float(track.times[1] - track.times[0]) if len(track.times) > 1 else 0.01
    gaps = np.flatnonzero(np.diff(voiced) > _GAP_S / hop)
    pieces = np.split(voiced, gaps + 1)
    notes = track.notes
    found: list[NoteSegment] = []
    for piece in pieces:
        inside = slice(int(piece[0]), int(piece[-1]) + 1)
        within = np.interp(np.arange(inside.start, inside.stop), piece, notes[piece])
        found += _of_piece(within, track.rms[inside], inside.start)
    return _covering(found, len(track.times))


def _of_piece(
    notes: NDArray[np.float64], weight: NDArray[np.float64], offset: int
) -> list[NoteSegment]:
    course = _best_course(notes)
    edges = [0, *(np.flatnonzero(np.diff(course)) + 1).tolist(), len(notes)]
    found: list[NoteSegment] = []
    for first, last in pairwise(edges):
        middle = _middle(notes[first:last], weight[first:last])
        if found and abs(found[-1].note - middle) < _SAME:
            # the same note, which has drifted on
            first = found.pop().first - offset
            middle = _middle(notes[first:last], weight[first:last])
        found.append(NoteSegment(first + offset, last + offset, middle))
    return found


def _best_course(notes: NDArray[np.float64]) -> NDArray[np.intp]:
    """Which of the notes that are tried each moment belongs to."""
    tried = np.arange(notes.min() - _STEP, notes.max() + 2 * _STEP, _STEP)
    off = np.minimum(np.abs(notes[:, None] - tried[None, :]), _MOST_OFF)
    cost = off**2 / (2.0 * _SPREAD**2)
    total = cost[0]
    came = np.zeros(cost.shape, np.intp)
    stay = np.arange(len(tried))
    for moment in range(1, len(notes)):
        cheapest = int(total.argmin())
        change = total[cheapest] + _CHANGE < total
        came[moment] = np.where(change, cheapest, stay)
        total = np.where(change, total[cheapest] + _CHANGE, total) + cost[moment]
    course = np.empty(len(notes), np.intp)
    course[-1] = int(total.argmin())
    for moment in range(len(notes) - 1, 0, -1):
        course[moment - 1] = came[moment, course[moment]]
    return course


def _middle(notes: NDArray[np.float64], weight: NDArray[np.float64]) -> float:
    """The weighted mean of what lies near the median: all of a vibrato, not the glides beside."""
    edge = int(_EDGE * len(notes))
    notes, weight = notes[edge : len(notes) - edge], weight[edge : len(weight) - edge]
    near = np.abs(notes - np.median(notes)) <= _GLIDE
    if not near.any():
        # a glide of two moments has nothing near its median
        return float(np.median(notes))
    return float(np.average(notes[near], weights=weight[near] + 1e-9))


def _covering(found: list[NoteSegment], moments: int) -> list[NoteSegment]:
    """The same notes, moments between two given to the nearer one."""
    borders = [
        0,
        *((a.last + b.first) // 2 for a, b in pairwise(found)),
        moments,
    ]
    return [
        NoteSegment(first, last, one.note)
        for one, first, last in zip(found, borders[:-1], borders[1:], strict=True)
    ]
