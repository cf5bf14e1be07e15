"""Which partials a sound has: through the window that leaves least of it, or as its pitch goes.

Partials that lie too close for a window beat within it and look like noise. Once their neighbours
are taken away, a shorter one sees such a pair as one partial whose level moves: what is left is
looked at again (analysis by synthesis after E. B. George and M. J. T. Smith, "Speech
analysis/synthesis and modification using an analysis-by-synthesis/overlap-add sinusoidal model",
IEEE Trans. SAP 5(5), 1997).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
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

_LOOKS = 2
"""How often at most what is left of a sound is looked at again."""

_MOSTLY_LEFT = 0.5
"""Share of its power that partials leave of a sound that is mostly noise."""

_MUCH_LESS = 0.7
"""Share of what was left that has to be left at most for another look to count."""

_NOTHING_LEFT = 1e-4
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
    tonal = _tonal(mono)
    # where there is a pitch there are partials, however noisy the rest
    noise = _strictness(settings.noise / 100.0, max(tonal, _PITCHED) if root_hz else tonal)
    first = window_for(settings, root_hz, tonal)
    steady = _steady(mono, first, noise, settings, lambda share: told(0.6 * share))
    told(0.6)
    followed = _followed(mono, settings, steady)
    told(0.8)
    if followed is not None or settings.window_ms is not None:
        return followed or steady
    return _looked_at_again(mono, steady, noise, settings, lambda: told(0.8))


def _steady(
    mono: Floats, first: int, noise: float, settings: Analysis, told: Callable[[float], object]
) -> Partials:
    """Partials of a sound as it is, through the window that leaves least of it."""
    windows = [first]
    if settings.window_ms is None:
        windows += [one for one in _WINDOWS if one != first]
    stretch = _loudest_stretch(mono)
    once = len(stretch) / (len(windows) * len(stretch) + len(mono))
    best = _best_through(stretch, windows, noise, settings, lambda number: told(number * once))
    return best if len(stretch) == len(mono) else _through(mono, best.window, noise, settings)


def _best_through(
    mono: Floats,
    windows: Sequence[int],
    noise: float,
    settings: Analysis,
    told: Callable[[int], object],
) -> Partials:
    """Partials through the one of some windows that leaves least."""
    best, least = None, np.inf
    for number, window in enumerate(windows, 1):
        found = _through(mono, window, noise, settings)
        left = _left_of(mono, found)
        if best is None or left < _LESS * least:
            best, least = found, left
        told(number)
    assert best is not None
    return best


def _looked_at_again(
    mono: Floats, found: Partials, noise: float, settings: Analysis, go_on: Callable[[], object]
) -> Partials:
    """The same with what shorter windows see in what it leaves; ``go_on`` may stop it on the way."""
    power = float(np.dot(mono, mono))
    for _ in range(_LOOKS):
        left = _left_of(mono, found)
        windows = [one for one in _WINDOWS if 2 * one <= found.window]
        if not windows or not _NOTHING_LEFT * power < left < _MOSTLY_LEFT * power:
            break
        rest = mono - found.sound
        stretch = _loudest_stretch(rest)
        more = _best_through(stretch, windows, noise, settings, lambda _: go_on())
        if _left_of(stretch, more) > _MUCH_LESS * float(np.dot(stretch, stretch)):
            break
        if len(stretch) < len(rest):
            more = _through(rest, more.window, noise, settings)
        tracks = loudest([*found.tracks, *more.tracks], settings.partials, len(mono) // HOP + 1)
        found = found._replace(tracks=tracks, sound=sound_of(tracks, len(mono)))
    return found


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
