"""Counting the cycles of a pitched sound, drift, glides and vibrato included.

A pitch track gives the cycles roughly. Its strongest harmonic is then brought to 0 Hz by a
heterodyne and smoothed; the angle that is left says how far the count was off (J. A. Moorer,
"The heterodyne filter as a tool for analysis of transient waveforms", Stanford AI Memo 208,
1973).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.analysis.track import PitchTrack, pitch_track
from innerbloom.core.materials.wavetable.table import TableError
from innerbloom.core.process.varispeed import read_at

TRACK_HOP_S = 0.03
_LEAST_VOICED = 0.25
_SMOOTHED_CYCLES = 4
_A_CYCLE = 32
_TIMES = 2
_CANDIDATES = 6
_FAINT = 0.02


@dataclass(frozen=True)
class Cycles:
    """The count of cycles along a sound.

    Attributes
    ----------
    count : ndarray of float64, shape (frames,)
        Cycles since the beginning at every frame of the sound; rises throughout.
    rate : float
        Frames a second.
    """

    count: NDArray[np.float64]
    rate: float

    def hz_at(self, seconds: NDArray[np.float64]) -> NDArray[np.float64]:
        """Frequency at moments, over a hundredth of a second."""
        at = np.asarray(seconds) * self.rate
        half = 0.005 * self.rate
        top = len(self.count) - 1
        low, high = np.clip(at - half, 0, top), np.clip(at + half, 0, top)
        places = np.arange(len(self.count))
        rise = np.interp(high, places, self.count) - np.interp(low, places, self.count)
        return np.asarray(rise / np.maximum(high - low, 1e-9) * self.rate)


def steady_cycles(frames: int, rate: float, hz: float) -> Cycles:
    """The count of a pitch that does not move."""
    return Cycles(np.arange(frames, dtype=np.float64) * (hz / rate), rate)


def follow_cycles(mono: NDArray[np.float32], rate: float, hz: float | None = None) -> Cycles:
    """Count the cycles of a sound.

    Parameters
    ----------
    mono : ndarray, shape (frames,)
    rate : float
        Frames a second.
    hz : float, optional
        Its frequency, where it is known to be steady or the track is not to be trusted.

    Raises
    ------
    TableError
        If no pitch is found, or the sound is shorter than two cycles.
    """
    rough = _from_track(mono, rate) if hz is None else np.full(len(mono), hz)
    count = np.cumsum(rough) / rate
    if len(count) < 2 or count[-1] < 2.0:
        raise TableError("The sound is shorter than two cycles: take a longer stretch.")
    harmonic = None
    for _ in range(_TIMES):
        places, read = _in_even_cycles(mono, count)
        harmonic = harmonic or _strongest(read)
        count = count + np.interp(np.arange(len(count)), places, _how_far_off(read, harmonic))
    return Cycles(np.maximum.accumulate(count), rate)


def _in_even_cycles(
    mono: NDArray[np.float32], count: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float32]]:
    """The sound read at even steps of its cycles: places in frames, and samples there.

    Harmonics then lie where the window has its zeros, so that they do not ripple the count.
    """
    steps = np.arange(int((count[-1] - count[0]) * _A_CYCLE)) / _A_CYCLE
    places = np.interp(count[0] + steps, count, np.arange(len(count)))
    return places, read_at(mono[:, None], places)[:, 0]


def _from_track(mono: NDArray[np.float32], rate: float) -> NDArray[np.float64]:
    track = pitch_track(mono[:, None], rate, TRACK_HOP_S)
    if track.share_voiced < _LEAST_VOICED:
        raise TableError(
            "No clear pitch is heard here: take frames by spectra or by stretches, or give the root."
        )
    return hz_along(track, len(mono), rate)


def hz_along(track: PitchTrack, frames: int, rate: float) -> NDArray[np.float64]:
    """Frequency at every frame; where there is no pitch, drawn straight between neighbours."""
    voiced = np.flatnonzero(track.voiced)
    octaves = np.interp(track.times, track.times[voiced], np.log2(track.hz[voiced]))
    return np.asarray(2.0 ** np.interp(np.arange(frames) / rate, track.times, octaves))


def _strongest(read: NDArray[np.float32]) -> int:
    """The strongest of the first harmonics, a low one where they are close."""
    window = scipy.signal.get_window("hann", _SMOOTHED_CYCLES * _A_CYCLE)
    if len(read) < len(window):
        return 1
    rows = np.lib.stride_tricks.sliding_window_view(read, len(window))[:: 2 * _A_CYCLE]
    sizes = np.abs(scipy.fft.rfft(rows * window, axis=1)).mean(axis=0)
    numbers = np.arange(1, _CANDIDATES + 1)
    return int(np.argmax(sizes[_SMOOTHED_CYCLES * numbers] / numbers**0.25)) + 1


def _heterodyne(read: NDArray[np.float32], harmonic: int) -> NDArray[np.complex128]:
    window = scipy.signal.get_window("hann", _SMOOTHED_CYCLES * _A_CYCLE)
    brought = read * np.exp(-2j * np.pi * harmonic * np.arange(len(read)) / _A_CYCLE)
    smooth: NDArray[np.complex128] = scipy.signal.fftconvolve(
        brought, window / window.sum(), mode="same"
    )
    return smooth


def _how_far_off(read: NDArray[np.float32], harmonic: int) -> NDArray[np.float64]:
    """Cycles to be added to the count at each place."""
    found = _heterodyne(read, harmonic)
    size = np.abs(found)
    heard = np.flatnonzero(size > _FAINT * size.max(initial=0.0))
    # at the ends the window is half empty
    edge = _SMOOTHED_CYCLES * _A_CYCLE // 2
    inner = heard[(heard >= edge) & (heard < len(read) - edge)]
    heard = inner if len(inner) else heard
    if not len(heard):
        return np.zeros(len(read))
    angle = np.unwrap(np.angle(found[heard])) / (2.0 * np.pi * harmonic)
    at = np.arange(len(read))
    off = np.interp(at, heard, angle)
    for end, inward in ((heard[0], 1), (heard[-1], -1)):
        # beyond the last that is sure it goes on as it went
        beside = end + inward * _A_CYCLE
        if 0 <= beside < len(read):
            slope = inward * (off[beside] - off[end]) / _A_CYCLE
            beyond = at < end if inward > 0 else at > end
            off[beyond] = off[end] + slope * (at[beyond] - end)
    return np.asarray(off)
