"""From a recording to its spectrum."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import scipy.fft
import soxr
from numpy.typing import NDArray

from innerbloom.core.analysis.mono import one_channel
from innerbloom.core.analysis.pitch import FRAME
from innerbloom.core.analysis.pitch import RATE as PITCH_RATE
from innerbloom.core.analysis.tonalness import tonalness
from innerbloom.core.declare.spectrum_settings import Analysis
from innerbloom.core.materials.spectrum.attacks import closed_off, sharp_beginnings, sharpened
from innerbloom.core.materials.spectrum.bands import band_levels
from innerbloom.core.materials.spectrum.model import (
    HOP,
    LONGEST_S,
    RATE,
    Floats,
    Spectrum,
    SpectrumError,
)
from innerbloom.core.materials.spectrum.partials import sound_of
from innerbloom.core.materials.spectrum.peaks import find_peaks
from innerbloom.core.materials.spectrum.strikes import find_strikes, strikes_alone
from innerbloom.core.materials.spectrum.tracks import find_tracks, loudest

Progress = Callable[[float], bool]

_SHORTEST_S = 0.02
_SILENCE = 1e-5
_PERIODS = 5.5
_LEAST_WINDOW, _MOST_WINDOW = 1024, 8192


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
        Channels are averaged.
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
    tonal = _tonal(mono)
    window = window_for(settings, root_hz, tonal)
    moments = len(mono) // HOP + 1
    # where there is a pitch there are partials, however noisy the rest
    noise = _strictness(settings.noise / 100.0, max(tonal, 0.6) if root_hz else tonal)
    told(0.1)
    beginnings = sharp_beginnings(mono, window)
    tracks = find_tracks(find_peaks(mono, window), window, noise)
    told(0.6)
    tracks = loudest(tracks, settings.partials, moments)
    tracks = [closed_off(sharpened(one, beginnings, window), len(mono), window) for one in tracks]
    partials = sound_of(tracks, len(mono))
    residual = mono - partials
    rest, strikes = find_strikes(residual, beginnings, settings.strikes / 100.0)
    told(0.8)
    struck = band_levels(strikes_alone(strikes, len(mono)), moments)
    power, left = float(np.dot(partials, partials)), float(np.dot(residual, residual))
    told(0.9)
    return Spectrum(
        seconds=len(mono) / RATE,
        root_hz=root_hz,
        tonal=power / max(power + left, 1e-20),
        tracks=tuple(sorted(tracks, key=lambda one: one.first)),
        noise=band_levels(rest, moments),
        struck=struck,
        strikes=strikes,
        window=window,
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
    mono = np.asarray(mono - mono.mean(), np.float32)
    if rate != RATE:
        mono = soxr.resample(mono, rate, RATE, quality="HQ")
    return np.ascontiguousarray(mono, np.float32)


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
