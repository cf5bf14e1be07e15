"""Which partials a sound has: through the window that leaves least of it, or as its pitch goes."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
import scipy.fft
import soxr
from numpy.typing import NDArray

from innerbloom.core.analysis.pitch import FRAME
from innerbloom.core.analysis.pitch import RATE as PITCH_RATE
from innerbloom.core.analysis.tonalness import tonalness
from innerbloom.core.declare.spectrum_settings import Analysis
from innerbloom.core.materials.spectrum.attacks import closed_off, sharp_beginnings, sharpened
from innerbloom.core.materials.spectrum.gliding import carried_back, warp_of
from innerbloom.core.materials.spectrum.model import HOP, RATE, Floats, Track
from innerbloom.core.materials.spectrum.partials import sound_of
from innerbloom.core.materials.spectrum.peaks import find_peaks
from innerbloom.core.materials.spectrum.tracks import find_tracks, loudest

_PERIODS = 5.5
_LEAST_WINDOW, _MOST_WINDOW = 1024, 8192
_TELLS_MORE = 1.25
"""How many times less partials have to leave of a sound for its pitch to be followed."""

_WINDOWS = (2048, 4096, 8192, 16384)
"""Windows that are tried: short ones follow fast sounds, long ones part dense chords."""

_LESS = 0.9
"""Share of what one window leaves that another has to stay below to be taken instead."""

_CHOSEN_BY_S = 8.0
"""Longest stretch by which a window is chosen."""

_PITCHED = 0.6
"""How tonal a sound with a pitch is at least, however noisy the rest."""


class Partials(NamedTuple):
    """Partials that were found, their sound, and how: beginnings in seconds, and the window."""

    tracks: list[Track]
    sound: Floats
    beginnings: NDArray[np.float64]
    window: int


def find_partials(
    mono: Floats, root_hz: float | None, settings: Analysis, told: Callable[[float], object]
) -> Partials:
    """The partials of a sound.

    Parameters
    ----------
    mono : ndarray, shape (frames,)
        At RATE.
    root_hz : float or None
        Its root, where it has one.
    told : callable
        Is given a share of the work now and then.
    """
    steady = _steady(mono, root_hz, settings, lambda share: told(0.8 * share))
    told(0.8)
    return _followed(mono, settings, steady) or steady


def _steady(
    mono: Floats, root_hz: float | None, settings: Analysis, told: Callable[[float], object]
) -> Partials:
    """Partials of a sound as it is, through the window that leaves least of it."""
    tonal = _tonal(mono)
    windows = [window_for(settings, root_hz, tonal)]
    if settings.window_ms is None:
        windows += [one for one in _WINDOWS if one != windows[0]]
    # where there is a pitch there are partials, however noisy the rest
    noise = _strictness(settings.noise / 100.0, max(tonal, _PITCHED) if root_hz else tonal)
    stretch = _loudest_stretch(mono)
    best, least = None, np.inf
    once = len(stretch) / (len(windows) * len(stretch) + len(mono))
    for number, window in enumerate(windows, 1):
        found = _through(stretch, window, noise, settings)
        left = _left_of(stretch, found)
        if best is None or left < _LESS * least:
            best, least = found, left
        told(number * once)
    assert best is not None
    return best if len(stretch) == len(mono) else _through(mono, best.window, noise, settings)


def _loudest_stretch(mono: Floats) -> Floats:
    """The stretch with the most power, as long as a window is chosen by."""
    count = round(_CHOSEN_BY_S * RATE)
    if len(mono) <= count:
        return mono
    power = np.concatenate(([0.0], np.cumsum(mono.astype(np.float64) ** 2)))
    first = HOP * int(np.argmax((power[count:] - power[:-count])[::HOP]))
    return np.ascontiguousarray(mono[first : first + count])


def _through(mono: Floats, window: int, noise: float, settings: Analysis) -> Partials:
    """Partials as they are seen through one window."""
    return _put_together(
        mono, find_tracks(find_peaks(mono, window), window, noise), window, settings
    )


def _followed(mono: Floats, settings: Analysis, steady: Partials) -> Partials | None:
    """Partials of a sound whose pitch is followed; None where that tells little more of it."""
    warp = warp_of(mono)
    if warp is None:
        return None
    flat = warp.apply(mono[:, None])[:, 0]
    window = window_for(settings, warp.hz, _PITCHED)
    noise = _strictness(settings.noise / 100.0, _PITCHED)
    found = find_tracks(find_peaks(flat, window), window, noise)
    moments = len(mono) // HOP + 1
    carried = (carried_back(one, warp, moments) for one in found)
    tracks = [one for one in carried if one is not None]
    followed = _put_together(mono, tracks, window, settings)
    better = _TELLS_MORE * _left_of(mono, followed) < _left_of(mono, steady)
    return followed if better else None


def _put_together(mono: Floats, tracks: list[Track], window: int, settings: Analysis) -> Partials:
    """The loudest of them, their beginnings made sharp, and their sound."""
    beginnings = sharp_beginnings(mono, window)
    tracks = loudest(tracks, settings.partials, len(mono) // HOP + 1)
    tracks = [closed_off(sharpened(one, beginnings, window), len(mono), window) for one in tracks]
    return Partials(tracks, sound_of(tracks, len(mono)), beginnings, window)


def _left_of(mono: Floats, found: Partials) -> float:
    """Power that partials leave."""
    left = mono - found.sound
    return float(np.dot(left, left))


def _tonal(mono: Floats) -> float:
    """How tonal the sound is by its spectra, 0..1."""
    low = soxr.resample(mono, RATE, PITCH_RATE, quality="MQ")
    padded = np.pad(low, (0, max(0, FRAME - len(low))))
    frames = np.lib.stride_tricks.sliding_window_view(padded, FRAME)
    return tonalness(frames[:: max(1, len(frames) // 200)])


def window_for(settings: Analysis, root_hz: float | None, tonal: float) -> int:
    """Frames at RATE that partials are looked at through, even and quick to transform."""
    if settings.window_ms is not None:
        frames = settings.window_ms * 1e-3 * RATE
    elif root_hz is not None:
        # partials that are struck lie closer than their root
        frames = np.clip(_PERIODS * RATE / root_hz, 2 * _LEAST_WINDOW, _MOST_WINDOW)
    else:
        frames = 4 * _LEAST_WINDOW if tonal > 0.3 else 2 * _LEAST_WINDOW
    return 2 * int(scipy.fft.next_fast_len(round(frames / 2), real=True))


def _strictness(noise: float, tonal: float) -> float:
    """How readily partials count as noise: the setting, more so the noisier the sound is."""
    middle = 0.35 + 0.4 * (1.0 - tonal)
    return middle * 2.0 * noise if noise <= 0.5 else middle + (1.0 - middle) * (2.0 * noise - 1.0)
