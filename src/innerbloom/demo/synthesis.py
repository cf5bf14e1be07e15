"""Building blocks for the made-up recordings: resonators, coloured noise, droplets, rooms."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
import scipy
from numpy.typing import NDArray

Signal = NDArray[np.float64]


def seconds(duration: float, rate: int) -> Signal:
    """Time of each frame in seconds."""
    return np.arange(round(duration * rate)) / rate


def coloured_noise(rng: np.random.Generator, frames: int, slope_db: float) -> Signal:
    """Noise whose spectrum falls by ``slope_db`` an octave, at unit RMS."""
    spectrum = np.fft.rfft(rng.standard_normal(frames))
    octaves = np.log2(np.maximum(1.0, np.arange(len(spectrum))))
    shaped = np.fft.irfft(spectrum * 10.0 ** (-slope_db * octaves / 20.0), frames)
    return np.asarray(shaped / np.sqrt(np.mean(shaped**2)))


def band(signal: Signal, low: float, high: float, rate: int, order: int = 2) -> Signal:
    """A Butterworth band between two frequencies in Hz."""
    sos = scipy.signal.butter(
        order, [low, min(high, 0.49 * rate)], "bandpass", fs=rate, output="sos"
    )
    return np.asarray(scipy.signal.sosfilt(sos, signal))


def wander(rng: np.random.Generator, frames: int, rate: int, hz: float) -> Signal:
    """A slow random curve in about -1..1 that changes at around ``hz``."""
    points = max(4, int(frames / rate * hz) + 3)
    knots = rng.standard_normal(points)
    place = np.linspace(0, points - 1, frames)
    left = np.minimum(place.astype(int), points - 2)
    share = 0.5 - 0.5 * np.cos(np.pi * (place - left))
    return np.asarray(0.6 * (knots[left] * (1 - share) + knots[left + 1] * share))


def strike(
    frames: int, rate: int, partials: Sequence[tuple[float, float, float]], rng: np.random.Generator
) -> Signal:
    """A struck body: partials of (Hz, amplitude, seconds to fall by 60 dB)."""
    t = np.arange(frames) / rate
    out = np.zeros(frames)
    for hz, amplitude, decay in partials:
        if hz < 0.45 * rate:
            phase = rng.uniform(0, 2 * np.pi)
            out += amplitude * np.exp(-6.9078 * t / decay) * np.sin(2 * np.pi * hz * t + phase)
    attack = min(frames, int(0.0015 * rate))
    out[:attack] *= np.linspace(0, 1, attack)
    return out


def at_unit_energy(signal: Signal) -> Signal:
    """The same, its squares adding up to 1."""
    return np.asarray(signal / np.sqrt(np.sum(signal**2)))


def burst(
    rng: np.random.Generator, duration: float, rate: int, band_hz: tuple[float, float], decay: float
) -> Signal:
    """A touch: noise of a band that begins within 0.2 ms and falls by 60 dB in ``decay`` seconds."""
    t = seconds(duration, rate)
    lead = 256
    noise = band(rng.standard_normal(lead + len(t)), *band_hz, rate, 1)[lead:]
    shape = np.exp(-6.9078 * t / decay)
    attack = max(2, int(0.0002 * rate))
    shape[:attack] *= np.linspace(0, 1, attack)
    return at_unit_energy(noise * shape)


def scatter(
    out: Signal,
    rng: np.random.Generator,
    times: NDArray[np.floating],
    rate: int,
    make: Callable[[np.random.Generator], Signal],
) -> None:
    """Add ``make(rng) -> Signal`` to ``out`` at each of the times in seconds."""
    for time in times:
        piece = make(rng)
        at = int(time * rate)
        end = min(len(out), at + len(piece))
        out[at:end] += piece[: end - at]


def resonate(signal: Signal, hz: float, decay: float, rate: int) -> Signal:
    """A two-pole resonator at unit peak gain."""
    radius = np.exp(-6.9078 / (decay * rate))
    angle = 2 * np.pi * hz / rate
    return np.asarray(
        scipy.signal.lfilter([1 - radius], [1, -2 * radius * np.cos(angle), radius**2], signal)
    )


def room(signal: Signal, rng: np.random.Generator, rate: int, decay: float, wet: float) -> Signal:
    """Stereo of shape (frames, 2): the signal in a made-up room of exponential noise."""
    length = int(decay * rate)
    t = np.arange(length) / rate
    tail = np.exp(-6.9078 * t / decay)[:, None] * rng.standard_normal((length, 2))
    tail = np.stack([band(tail[:, c], 120, 7_000, rate, 1) for c in range(2)], axis=1)
    tail /= np.sqrt(np.sum(tail**2, axis=0))
    wet_part = np.stack(
        [scipy.signal.fftconvolve(signal, tail[:, c])[: len(signal)] for c in range(2)], axis=1
    )
    return np.asarray((1 - wet) * signal[:, None] + wet * wet_part)


def edges(signal: Signal, rate: int, fade: float = 0.02) -> Signal:
    """Short fades at both ends."""
    frames = min(len(signal) // 2, int(fade * rate))
    ramp = 0.5 - 0.5 * np.cos(np.pi * np.arange(frames) / frames)
    shaped = signal.copy()
    shape = ramp if signal.ndim == 1 else ramp[:, None]
    shaped[:frames] *= shape
    shaped[-frames:] *= shape[::-1]
    return shaped
