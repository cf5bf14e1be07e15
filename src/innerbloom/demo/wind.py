"""Wind, and what it sets going: rng, length in seconds and rate in, samples out.

Thin things in an air stream sound at a fifth of its speed over their width (V. Strouhal, "Über eine
besondere Art der Tonerregung", Annalen der Physik 241, 1878), and turbulence grows louder and
brighter with the speed: noise of the lower bands with about its square, hiss with its third power
(as in A. Farnell, *Designing Sound*, MIT Press 2010, on wind).
"""

from __future__ import annotations

from functools import partial

import numpy as np
import scipy

from innerbloom.demo.synthesis import (
    Signal,
    band,
    coloured_noise,
    edges,
    scatter,
    strike,
    wander,
)

_SPEED = 6.0
"""Mean speed of the air in metres a second."""

_STROUHAL = 0.2
_STEMS, _TAPS_S = 5, 60.0
_SHARED, _OWN = 0.6, 0.8
"""Of the air that both sides hear, and of what each hears alone; their powers add up to 1."""

_AIR = ((0.7, 1.5, 5.0, 45, 500), (0.4, 2.0, 4.0, 300, 2_500), (0.45, 2.5, 3.0, 1_200, 9_000))
"""Level, power of the speed, slope of the noise in dB an octave, and band in Hz."""


def _gusts(rng: np.random.Generator, frames: int, rate: int) -> Signal:
    """Speed of the wind over its mean: gusts of seconds, and turbulence on them."""
    slow, fast = wander(rng, frames, rate, 0.35), wander(rng, frames, rate, 1.6)
    return np.asarray(np.exp(0.26 * slow + 0.2 * fast + 0.16 * wander(rng, frames, rate, 5.0)))


def _air(rng: np.random.Generator, frames: int, rate: int, number: int) -> Signal:
    """Noise of one band of the air, at unit RMS."""
    _, _, slope, low, high = _AIR[number]
    noise = band(coloured_noise(rng, frames, slope), low, high, rate, 1)
    return np.asarray(noise / noise.std())


def _whistle(rng: np.random.Generator, hz: Signal, rate: int, width: float) -> Signal:
    """Noise so many Hz wide around a frequency that moves, at unit RMS."""
    step = rate // 3_000
    count = -(-len(hz) // step) + 1
    sos = scipy.signal.butter(2, width, fs=rate / step, output="sos")
    slow = scipy.signal.sosfilt(sos, rng.standard_normal((2, count)), axis=1)
    at = np.arange(len(hz)) / step
    real, imaginary = (np.interp(at, np.arange(count), row) for row in slow / slow.std())
    phase = 2 * np.pi * np.cumsum(hz) / rate
    return np.asarray(real * np.cos(phase) + imaginary * np.sin(phase))


def _tap(rate: int, rng: np.random.Generator) -> Signal:
    """One dry stem against another."""
    hz = rng.uniform(500, 2_600)
    parts = [(hz, 1.0, 0.02), (hz * 2.4, 0.5, 0.01)]
    return np.asarray(strike(int(0.03 * rate), rate, parts, rng) * rng.lognormal(-1.4, 0.8))


def reed_stems(rng: np.random.Generator, duration: float, rate: int) -> Signal:
    """Gusts through stems: air that grows brighter as it grows faster, stems that whistle, dry taps."""
    frames = round(duration * rate)
    gusts = _gusts(rng, frames, rate)
    both = [_air(rng, frames, rate, number) for number in range(len(_AIR))]
    stems = [(rng.uniform(0.002, 0.006), rng.uniform(0.2, 0.8)) for _ in range(_STEMS)]
    channels = []
    for side in range(2):
        speed = gusts * np.exp(0.12 * wander(rng, frames, rate, 2.5))
        out = np.zeros(frames)
        for number, (level, power, *_) in enumerate(_AIR):
            air = _SHARED * both[number] + _OWN * _air(rng, frames, rate, number)
            out += level * speed**power * air
        for width, place in stems:
            hz = _STROUHAL * _SPEED * speed / width
            share = np.sqrt(place if side else 1.0 - place)
            out += 0.1 * share * speed**2 * _whistle(rng, hz, rate, 14.0)
        at = np.sort(rng.uniform(0, duration - 0.1, int(_TAPS_S * duration)))
        likely = 0.25 * speed[(at * rate).astype(int)] ** 2
        taps = np.zeros(frames)
        scatter(taps, rng, at[rng.uniform(0, 1, len(at)) < likely], rate, partial(_tap, rate))
        channels.append(out + 0.9 * taps * speed)
    return edges(np.stack(channels, axis=1), rate, 0.1)
