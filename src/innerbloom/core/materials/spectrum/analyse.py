"""From a recording to its spectrum."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import NamedTuple

import numpy as np
import scipy.fft
import soxr
from numpy.typing import NDArray

from innerbloom.core.analysis.mono import one_channel, side_channel
from innerbloom.core.analysis.pitch import FRAME
from innerbloom.core.analysis.pitch import RATE as PITCH_RATE
from innerbloom.core.analysis.tonalness import tonalness
from innerbloom.core.declare.spectrum_settings import Analysis
from innerbloom.core.materials.spectrum.attacks import closed_off, sharp_beginnings, sharpened
from innerbloom.core.materials.spectrum.bands import band_levels
from innerbloom.core.materials.spectrum.gliding import carried_back, warp_of
from innerbloom.core.materials.spectrum.model import (
    HOP,
    LONGEST_S,
    RATE,
    Floats,
    SideNoise,
    Spectrum,
    SpectrumError,
    Track,
)
from innerbloom.core.materials.spectrum.partials import sound_of
from innerbloom.core.materials.spectrum.peaks import find_peaks
from innerbloom.core.materials.spectrum.stereo import correlation, side_residual, with_sides
from innerbloom.core.materials.spectrum.strikes import find_strikes, side_strikes, strikes_alone
from innerbloom.core.materials.spectrum.tracks import find_tracks, loudest

Progress = Callable[[float], bool]

_SHORTEST_S = 0.02
_SILENCE = 1e-5
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


def analyse(
    samples: NDArray[np.float32],
    rate: float,
    root_hz: float | None,
    settings: Analysis | None = None,
    progress: Progress | None = None,
) -> Spectrum:
    """Take a sound apart.

    Parameters
    ----------
    samples : ndarray, shape (frames, channels)
        Partials and noise are told apart in the mean of the channels; of two channels, where each
        stands is kept.
    rate : float
        Frames a second.
    root_hz : float or None
        Its root, None where it has no clear pitch.
    settings : Analysis, optional

    Raises
    ------
    SpectrumError
        If it is silent, or too short or long.
    """
    settings = settings or Analysis()
    told = progress or (lambda share: True)
    mono = _mono(samples, rate)
    side = _side(samples, rate)
    moments = len(mono) // HOP + 1
    told(0.1)
    found = _steady(mono, root_hz, settings)
    told(0.4)
    tracks, partials, beginnings, window = _followed(mono, settings, found) or found
    told(0.6)
    residual = mono - partials
    rest, strikes = find_strikes(residual, beginnings, settings.strikes / 100.0)
    told(0.8)
    struck = band_levels(strikes_alone(strikes, len(mono)), moments)
    power, left = float(np.dot(partials, partials)), float(np.dot(residual, residual))
    told(0.9)
    spectrum = Spectrum(
        seconds=len(mono) / RATE,
        root_hz=root_hz,
        tonal=power / max(power + left, 1e-20),
        tracks=tuple(sorted(tracks, key=lambda one: one.first)),
        noise=band_levels(rest, moments),
        struck=struck,
        strikes=strikes,
        window=window,
    )
    return spectrum if side is None else _with_side(spectrum, mono, side, partials)


class _Partials(NamedTuple):
    """Partials that were found, their sound, and how: beginnings in seconds, and the window."""

    tracks: list[Track]
    sound: Floats
    beginnings: NDArray[np.float64]
    window: int


def _steady(mono: Floats, root_hz: float | None, settings: Analysis) -> _Partials:
    """Partials of a sound as it is, through the window that leaves least of it."""
    tonal = _tonal(mono)
    windows = [window_for(settings, root_hz, tonal)]
    if settings.window_ms is None:
        windows += [one for one in _WINDOWS if one != windows[0]]
    # where there is a pitch there are partials, however noisy the rest
    noise = _strictness(settings.noise / 100.0, max(tonal, _PITCHED) if root_hz else tonal)
    stretch = _loudest_stretch(mono)
    best, least = None, np.inf
    for window in windows:
        found = _through(stretch, window, noise, settings)
        left = _left_of(stretch, found)
        if best is None or left < _LESS * least:
            best, least = found, left
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


def _through(mono: Floats, window: int, noise: float, settings: Analysis) -> _Partials:
    """Partials as they are seen through one window."""
    return _put_together(
        mono, find_tracks(find_peaks(mono, window), window, noise), window, settings
    )


def _followed(mono: Floats, settings: Analysis, steady: _Partials) -> _Partials | None:
    """Partials of a sound whose pitch is followed; None where that tells little more of it."""
    warp = warp_of(mono)
    if warp is None:
        return None
    flat = warp.apply(mono[:, None])[:, 0]
    window = window_for(settings, warp.hz, _PITCHED)
    noise = _strictness(settings.noise / 100.0, _PITCHED)
    found = find_tracks(find_peaks(flat, window), window, noise)
    tracks = [back for one in found if (back := carried_back(one, warp)) is not None]
    followed = _put_together(mono, tracks, window, settings)
    better = _TELLS_MORE * _left_of(mono, followed) < _left_of(mono, steady)
    return followed if better else None


def _put_together(mono: Floats, tracks: list[Track], window: int, settings: Analysis) -> _Partials:
    """The loudest of them, their beginnings made sharp, and their sound."""
    beginnings = sharp_beginnings(mono, window)
    tracks = loudest(tracks, settings.partials, len(mono) // HOP + 1)
    tracks = [closed_off(sharpened(one, beginnings, window), len(mono), window) for one in tracks]
    return _Partials(tracks, sound_of(tracks, len(mono)), beginnings, window)


def _left_of(mono: Floats, found: _Partials) -> float:
    """Power that partials leave."""
    left = mono - found.sound
    return float(np.dot(left, left))


def _with_side(spectrum: Spectrum, mid: Floats, side: Floats, partials: Floats) -> Spectrum:
    """The same with where its parts stand between left and right."""
    residual = mid - partials
    rest, strikes = side_strikes(side_residual(side, partials, residual), spectrum.strikes)
    alone = residual - strikes_alone(strikes, len(mid))
    levels = (band_levels(one, spectrum.moments) for one in (rest, alone + rest, alone - rest))
    level, left, right = levels
    return replace(
        spectrum,
        tracks=tuple(with_sides(spectrum.tracks, mid, side, spectrum.window)),
        strikes=strikes,
        side_noise=SideNoise(level, correlation(spectrum.noise, level, left, right)),
    )


def _mono(samples: NDArray[np.float32], rate: float) -> Floats:
    seconds = len(samples) / rate
    if seconds > LONGEST_S + 0.01:
        raise SpectrumError(
            f"A spectrum is taken from {LONGEST_S:.0f} s at most, and this lasts {seconds:.0f} s: "
            "cut the stretch you want first."
        )
    if seconds < _SHORTEST_S:
        raise SpectrumError("This is too short for a spectrum: 0.02 s is the least.")
    if not np.isfinite(samples).all():
        raise SpectrumError(
            "This recording holds samples that are no numbers: its file is damaged."
        )
    mono = one_channel(samples)
    if float(np.abs(mono - mono.mean()).max()) < _SILENCE:
        raise SpectrumError("This recording is silent, so it has no spectrum.")
    return _at_rate(mono, rate)


def _side(samples: NDArray[np.float32], rate: float) -> Floats | None:
    side = side_channel(samples)
    if side is None or float(np.abs(side - side.mean()).max()) < _SILENCE:
        return None
    return _at_rate(side, rate)


def _at_rate(channel: NDArray[np.float32], rate: float) -> Floats:
    channel = np.asarray(channel - channel.mean(), np.float32)
    if rate != RATE:
        channel = soxr.resample(channel, rate, RATE, quality="HQ")
    return np.ascontiguousarray(channel, np.float32)


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


def partials_alone(spectrum: Spectrum) -> Floats:
    """The partials as they were, shape (frames,), at RATE."""
    return sound_of(spectrum.tracks, round(spectrum.seconds * RATE))
