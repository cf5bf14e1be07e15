"""From a recording to its spectrum."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import soxr
from numpy.typing import NDArray

from innerbloom.core.analysis.mono import one_channel, side_channel
from innerbloom.core.declare.spectrum_settings import Analysis
from innerbloom.core.errors import Cancelled
from innerbloom.core.materials.spectrum.bands import band_levels, held_back
from innerbloom.core.materials.spectrum.finding import Partials, find_partials
from innerbloom.core.materials.spectrum.model import (
    HOP,
    LONGEST_S,
    RATE,
    Floats,
    SideNoise,
    Spectrum,
    SpectrumError,
)
from innerbloom.core.materials.spectrum.partials import sound_of
from innerbloom.core.materials.spectrum.stereo import correlation, side_residual, with_sides
from innerbloom.core.materials.spectrum.strikes import find_strikes, side_strikes, strikes_alone

Progress = Callable[[float], bool]

_SHORTEST_S = 0.02
_SILENCE = 1e-5


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
    progress : callable, optional
        Is given a share of the work, and answers whether to go on.

    Raises
    ------
    Cancelled
        If it is not to go on.
    SpectrumError
        If it is silent, or too short or long.
    """
    settings = settings or Analysis()
    told = _asking(progress)
    mono = _mono(samples, rate)
    side = _side(samples, rate)
    moments = len(mono) // HOP + 1
    told(0.05)
    found = find_partials(mono, root_hz, settings, lambda share: told(0.05 + 0.7 * share))
    tracks, partials, beginnings, window = found
    told(0.75)
    residual = mono - partials
    rest, strikes = find_strikes(residual, beginnings, settings.strikes / 100.0)
    told(0.85)
    struck = band_levels(strikes_alone(strikes, len(mono)), moments)
    power, left = float(np.dot(partials, partials)), float(np.dot(residual, residual))
    told(0.9)
    spectrum = Spectrum(
        seconds=len(mono) / RATE,
        root_hz=root_hz,
        tonal=power / max(power + left, 1e-20),
        tracks=tuple(sorted(tracks, key=lambda one: one.first)),
        noise=held_back(band_levels(rest, moments), beginnings),
        struck=struck,
        strikes=strikes,
        window=window,
    )
    return spectrum if side is None else _with_side(spectrum, mono, side, found)


def _asking(progress: Progress | None) -> Callable[[float], None]:
    """What tells a share and stops the work where it is not to go on."""

    def tell(share: float) -> None:
        if progress is not None and not progress(share):
            raise Cancelled("Stopped.")

    return tell


def _with_side(spectrum: Spectrum, mid: Floats, side: Floats, found: Partials) -> Spectrum:
    """The same with where its parts stand between left and right."""
    residual = mid - found.sound
    rest, strikes = side_strikes(side_residual(side, found.sound, residual), spectrum.strikes)
    alone = residual - strikes_alone(strikes, len(mid))
    level, left, right = (
        held_back(band_levels(one, spectrum.moments), found.beginnings)
        for one in (rest, alone + rest, alone - rest)
    )
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


def partials_alone(spectrum: Spectrum) -> Floats:
    """The partials as they were, shape (frames,), at RATE."""
    return sound_of(spectrum.tracks, round(spectrum.seconds * RATE))
