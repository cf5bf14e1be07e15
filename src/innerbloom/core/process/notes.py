"""Notes that sound at once: finding them, and tuning each on its own.

Notes are found one after another by the weighted sum of their partials (A. Klapuri, "Multiple
fundamental frequency estimation by summing harmonic amplitudes", ISMIR 2006). Each partial's
band is then moved by its own distance in Hz in the spectrum of the whole stretch, which is
single-sideband modulation: attacks and beating stay as they are.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.analysis.mono import one_channel
from innerbloom.core.errors import BloomError
from innerbloom.core.pitch_names import hz_to_note
from innerbloom.core.process.retune import nearest_in_scale

MOST_NOTES = 6
_PARTIALS = 16
_LOWEST_HZ, _HIGHEST_HZ = 50.0, 4_000.0
_MATCH_CENTS = 32.0
_LEAST_SHARE = 0.12
"""Salience of the weakest note over that of the strongest."""

_LEAST_EXPLAINED = 0.5
_FINE_HZ = 0.02
MOST_S = 120.0


@dataclass(frozen=True)
class SoundingNote:
    """A note found: its frequency, level in dB under the strongest, and its partials in Hz."""

    hz: float
    level_db: float
    partials: tuple[float, ...]

    def note(self, tuning: float = 440.0) -> float:
        """MIDI note number with a fraction."""
        return hz_to_note(self.hz, tuning)


@dataclass(frozen=True)
class Chord:
    """All notes found, the share of the sound that they explain, and every peak in Hz."""

    notes: tuple[SoundingNote, ...]
    explained: float
    peaks: NDArray[np.float64]


def find_notes(samples: NDArray[np.float32], rate: float) -> Chord:
    """Notes that sound through a stretch of shape (frames, channels).

    Raises
    ------
    BloomError
        If nothing stands out, or what stands out cannot be told apart.
    """
    hz, amplitude = _peaks(one_channel(samples), rate)
    if not len(hz):
        raise BloomError("No notes stand out here: choose a stretch in which they sound clearly.")
    left = amplitude.copy()
    found: list[SoundingNote] = []
    strongest = 0.0
    for _ in range(MOST_NOTES):
        best = _most_salient(hz, left)
        if best is None:
            break
        salience, members, orders = best
        strongest = max(strongest, salience)
        if salience < _LEAST_SHARE * strongest:
            break
        weights = left[members] * orders
        root = float(np.average(hz[members] / orders, weights=weights))
        level = float(np.sum(left[members] ** 2))
        found.append(SoundingNote(root, level, tuple(hz[members].tolist())))
        left[members] = 0.0
    return _judged(found, hz, amplitude, left)


def _judged(
    found: list[SoundingNote],
    hz: NDArray[np.float64],
    amplitude: NDArray[np.float64],
    left: NDArray[np.float64],
) -> Chord:
    explained = 1.0 - float(np.sum(left**2) / max(np.sum(amplitude**2), 1e-20))
    if not found or explained < _LEAST_EXPLAINED:
        raise BloomError(
            "The notes in here cannot be told apart, so they cannot be tuned each on its own: "
            "try a shorter or clearer stretch, or pull the whole sound."
        )
    loudest = max(one.level_db for one in found)
    notes = [
        SoundingNote(one.hz, float(10 * np.log10(one.level_db / loudest)), one.partials)
        for one in found
    ]
    return Chord(tuple(sorted(notes, key=lambda one: one.hz)), explained, hz)


def _peaks(
    mono: NDArray[np.float32], rate: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Frequencies and amplitudes of what stands out of the mean spectrum."""
    length = min(1 << round(np.log2(0.7 * rate)), 1 << int(np.log2(max(64, len(mono)))))
    starts = np.arange(0, max(1, len(mono) - length + 1), length // 2)
    window = np.blackman(length)
    power = np.zeros(length + 1)
    for start in starts.tolist():
        piece = mono[start : start + length]
        piece = np.pad(piece, (0, length - len(piece)))
        power += np.abs(scipy.fft.rfft(piece * window, 2 * length)) ** 2
    db = 10.0 * np.log10(power / len(starts) + 1e-20)
    middle = db[1:-1]
    local = np.flatnonzero((middle > db[:-2]) & (middle >= db[2:])) + 1
    width = rate / (2 * length)
    local = local[(local * width > 0.9 * _LOWEST_HZ) & (local * width < 0.45 * rate)]
    reach = max(8, round(60.0 / width))
    around = np.lib.stride_tricks.sliding_window_view(np.pad(db, reach, mode="reflect"), 2 * reach)
    floor = np.array([np.median(around[k]) for k in local]) if len(local) else np.zeros(0)
    if not len(local):
        return np.zeros(0), np.zeros(0)
    stands = (db[local] > floor + 12.0) & (db[local] > db[local].max() - 55.0)
    kept = local[stands]
    a, b, c = db[kept - 1], db[kept], db[kept + 1]
    shift = 0.5 * (a - c) / np.minimum(a - 2 * b + c, -1e-9)
    return (kept + shift) * width, 10.0 ** ((b - 0.25 * (a - c) * shift) / 20.0)


def _most_salient(
    hz: NDArray[np.float64], left: NDArray[np.float64]
) -> tuple[float, NDArray[np.intp], NDArray[np.float64]] | None:
    """The note with the largest weighted sum: (salience, its peaks, their partial numbers)."""
    best = None
    for candidate in np.flatnonzero((left > 0) & (hz >= _LOWEST_HZ) & (hz <= _HIGHEST_HZ)):
        root = hz[candidate]
        members, orders = _partials_of(root, hz, left)
        weight = (root + 27.0) / (orders * root + 320.0)
        salience = float(np.sum(weight * left[members]))
        if best is None or salience > best[0]:
            best = (salience, members, orders)
    return best


def _partials_of(
    root: float, hz: NDArray[np.float64], left: NDArray[np.float64]
) -> tuple[NDArray[np.intp], NDArray[np.float64]]:
    orders = np.arange(1, _PARTIALS + 1) * 1.0
    nearest = np.abs(np.log2(hz[None, :] / (root * orders)[:, None]))
    nearest[:, left <= 0] = np.inf
    which = nearest.argmin(axis=1)
    fits = nearest[np.arange(_PARTIALS), which] * 1200.0 <= _MATCH_CENTS
    members, first = np.unique(which[fits], return_index=True)
    return members, orders[fits][first]


def tune_notes(
    samples: NDArray[np.float32],
    rate: float,
    *,
    amount: float = 1.0,
    scale: str = "chromatic",
    key: float = 60.0,
    tuning: float = 440.0,
) -> NDArray[np.float32]:
    """Bring each note of a chord towards its nearest note.

    Parameters
    ----------
    samples : ndarray, shape (frames, channels)
        At most :data:`MOST_S` seconds.
    amount : float
        0 leaves everything, 1 tunes fully.
    """
    if len(samples) > MOST_S * rate:
        raise BloomError(f"Notes can be tuned one by one in up to {MOST_S:.0f} s: cut first.")
    chord = find_notes(samples, rate)
    size = scipy.fft.next_fast_len(max(len(samples), round(rate / _FINE_HZ)) + len(samples) // 4)
    out = np.empty_like(samples)
    for channel in range(samples.shape[1]):
        spectrum = scipy.fft.rfft(samples[:, channel].astype(np.float64), size)
        moved = spectrum.copy()
        for note in chord.notes:
            wanted = float(nearest_in_scale(np.array([note.note()]), scale, key, tuning)[0])
            ratio = 2.0 ** (amount * (wanted - note.note()) / 12.0)
            for partial in note.partials:
                _move(spectrum, moved, partial, ratio, chord.peaks, rate / size)
        out[:, channel] = scipy.fft.irfft(moved, size)[: len(samples)]
    return out


def _move(
    spectrum: NDArray[np.complex128],
    moved: NDArray[np.complex128],
    hz: float,
    ratio: float,
    peaks: NDArray[np.float64],
    width: float,
) -> None:
    """Move the band about a partial; it reaches half way to its neighbours."""
    lower, upper = peaks[peaks < hz - 1e-6], peaks[peaks > hz + 1e-6]
    reach = 0.12 * hz
    low = hz - min(reach, 0.5 * (hz - lower[-1]) if len(lower) else reach)
    high = hz + min(reach, 0.5 * (upper[0] - hz) if len(upper) else reach)
    first, last = round(low / width), round(high / width)
    by = round(hz * (ratio - 1.0) / width)
    if last - first < 4 or first + by < 0 or last + by > len(moved):
        return
    share = np.linspace(0.0, 1.0, last - first)
    mask = np.minimum(1.0, 6.0 * np.minimum(share, 1.0 - share))
    band = spectrum[first:last] * (0.5 - 0.5 * np.cos(np.pi * mask))
    moved[first:last] -= band
    moved[first + by : last + by] += band
