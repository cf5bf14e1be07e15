"""Spectra played by the engine, and measures of how near two sounds are."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import Any

import numpy as np

from innerbloom.core.declare.spectrum_settings import Analysis
from innerbloom.core.engine import DELAY, Engine, compile_program
from innerbloom.core.instrument.document import Instrument, parse_instrument
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.materials.spectrum.analyse import analyse
from innerbloom.core.materials.spectrum.model import Spectrum
from innerbloom.core.performance.events import Event
from innerbloom.core.pitch_names import hz_to_note
from tests.sounds import RATE, shaped

UNIT = 10 ** (-6 / 20) * np.sqrt(0.5)
"""Gain of a recording through a spectral layer, in each channel: the instrument's level, and the
3 dB of the middle."""


def taken(samples: np.ndarray, root_hz: float | None, **settings: float) -> Spectrum:
    return analyse(shaped(samples), RATE, root_hz, Analysis(**settings))


def spectral(roots: Sequence[float | None], layer: dict[str, Any], **settings: Any) -> Instrument:
    """A document with one spectral layer of so many sounds, plain unless said otherwise."""
    plain = {"attack": 0.5, "release": 5, "sustain": 100, "spread": 0, "width": 0, "at_end": "stay"}
    sounds = [
        {"path": f"{i}.wav", "root": None if hz is None else hz_to_note(hz)}
        for i, hz in enumerate(roots)
    ]
    return parse_instrument({"version": 4, "name": "spectra", "layers": [
        {"id": "l1", "name": "Spectra", "kind": "spectral", "sounds": sounds,
         "settings": {**plain, **settings}, **layer}]})  # fmt: skip


def engine_of(*spectra: Spectrum, layer: dict[str, Any] | None = None, **settings: Any) -> Engine:
    document = spectral([one.root_hz for one in spectra], layer or {}, **settings)
    return Engine(compile_program(document, HeldMaterials(spectra=spectra)))


def key_of(spectrum: Spectrum) -> float:
    """The key that plays a spectrum as it was."""
    return 60.0 if spectrum.root_hz is None else hz_to_note(spectrum.root_hz)


def heard(*spectra: Spectrum, seconds: float, semitones: float = 0.0, **more: Any) -> np.ndarray:
    """The left channel of a note, as loud as the recording, shape (frames,)."""
    engine = engine_of(*spectra, **more)
    key = key_of(spectra[0]) + semitones
    sound = engine.render(round(seconds * RATE), [Event("on", 1, key, 1.0)])
    return sound[DELAY:, 0] / UNIT


def band_powers(sound: np.ndarray, seconds: float = 0.1, low: float = 100.0) -> np.ndarray:
    """Power in thirds of an octave of every tenth of a second, shape (frames, bands)."""
    size = round(seconds * RATE)
    count = len(sound) // size
    power = np.abs(np.fft.rfft(sound[: count * size].reshape(count, size) * np.hanning(size))) ** 2
    hz = np.fft.rfftfreq(size, 1 / RATE)
    edges = low * 2 ** (np.arange(int(3 * np.log2(18_000 / low)) + 1) / 3)
    return np.stack(
        [power[:, (hz >= a) & (hz < b)].sum(axis=1) for a, b in itertools.pairwise(edges)], 1
    )


def log_spectral_distance(one: np.ndarray, other: np.ndarray, **how: float) -> float:
    """Mean distance in dB of two sounds' bands, down to 60 dB below the loudest.

    Noise is never the same twice, so that single bins say nothing of it: bands of a third of an
    octave and a tenth of a second do.
    """
    count = min(len(one), len(other))
    a, b = band_powers(one[:count], **how), band_powers(other[:count], **how)
    floor = 1e-6 * a.max()
    return float(np.sqrt(np.mean((10 * np.log10((a + floor) / (b + floor))) ** 2, axis=1)).mean())
