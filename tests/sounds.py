"""Made-up sounds for tests of the Bench, and small measures of sounds."""

from __future__ import annotations

import numpy as np
from scipy.signal import lfilter

from innerbloom.core.prepare.recipe import Recipe, parse_recipe

RATE = 48_000


class Source:
    """Samples in memory as the source of a recipe."""

    def __init__(self, samples: np.ndarray, rate: int = RATE) -> None:
        self.samples = shaped(samples)
        self.rate, self.frames = rate, len(self.samples)

    def read(self, first: int, count: int) -> np.ndarray:
        return self.samples[first : first + count]


def shaped(samples: np.ndarray) -> np.ndarray:
    """Float32 of shape (frames, channels)."""
    samples = np.asarray(samples, np.float32)
    return samples[:, None] if samples.ndim == 1 else samples


def recipe(*steps: dict) -> Recipe:
    return parse_recipe({"steps": list(steps)})


def gliding_tone(hz: np.ndarray, partials: int = 12, level: float = 0.2) -> np.ndarray:
    """A harmonic tone whose frequency follows ``hz``, one value a frame."""
    phase = 2 * np.pi * np.cumsum(hz) / RATE
    top = int(0.45 * RATE / hz.max())
    return level * sum(np.sin(k * phase + k) / k for k in range(1, min(partials, top) + 1))


def vowel(f0: float, seconds: float = 2.0) -> np.ndarray:
    """The vowel a of a male voice, with some vibrato so that partials sweep the formants.

    Formants: Peterson & Barney 1952, JASA 24(2), table II (a, men), from memory; the fourth
    and fifth are there because the reference library needs five poles.
    """
    t = np.arange(round(seconds * RATE)) / RATE
    phase = np.cumsum(f0 * 2 ** (0.6 / 12 * np.sin(2 * np.pi * 4 * t))) / RATE
    source = sum(np.cos(2 * np.pi * k * phase) for k in range(1, int(0.45 * RATE / f0)))
    out = lfilter([1.0], [1.0, -0.96], source)
    for hz, width in ((730, 60), (1090, 90), (2440, 120), (3500, 150), (4500, 200)):
        r = np.exp(-np.pi * width / RATE)
        out = lfilter([1 - r], [1, -2 * r * np.cos(2 * np.pi * hz / RATE), r * r], out)
    return 0.5 * out / np.abs(out).max()


def hz_near(samples: np.ndarray, near: float, rate: int = RATE) -> float:
    """Frequency of the strongest spectral peak within a tone of ``near``, finely."""
    mono = samples if samples.ndim == 1 else samples[:, 0]
    length = 8 * len(mono)
    spectrum = np.abs(np.fft.rfft(mono * np.blackman(len(mono)), length))
    hz = np.fft.rfftfreq(length, 1 / rate)
    inside = np.flatnonzero((hz > near * 0.89) & (hz < near * 1.12))
    peak = int(inside[spectrum[inside].argmax()])
    a, b, c = np.log(spectrum[peak - 1 : peak + 2])
    return float(hz[peak] + 0.5 * (a - c) / (a - 2 * b + c) * (hz[1] - hz[0]))


def cents(hz: float, wanted: float) -> float:
    return float(1200 * np.log2(hz / wanted))


def db(ratio: float) -> float:
    return float(20 * np.log10(max(ratio, 1e-12)))
