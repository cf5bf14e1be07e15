"""Spectra: voices of eighty partials with noise, beside an inverse-FFT render; taking apart; colouring.

Shares of one core, and ratios within one run.
"""

from __future__ import annotations

import time

import numpy as np
import scipy.fft

from common import in_turn, say
from innerbloom.core.engine import ENGINE_RATE, Engine, compile_program
from innerbloom.core.instrument.document import parse_instrument
from innerbloom.core.materials.held import HeldMaterials
from innerbloom.core.materials.spectrum.analyse import analyse
from innerbloom.core.performance.events import Event

VOICES = 24
RNG = np.random.default_rng(4)
WINDOW, HOP = 2048, 512


def busy_sound(seconds: float) -> np.ndarray:
    """Eighty harmonics with vibrato, and noise."""
    t = np.arange(round(seconds * ENGINE_RATE)) / ENGINE_RATE
    phase = 2 * np.pi * np.cumsum(110 * 2 ** (0.004 * np.sin(9 * t))) / ENGINE_RATE
    sound = sum(np.sin(k * phase + k) / k for k in range(1, 81)) + 0.05 * RNG.standard_normal(
        len(t)
    )
    return (0.15 * sound)[:, None].astype(np.float32)


def engine_of(spectra, **settings) -> Engine:
    sounds = [{"path": f"{i}.wav", "root": 45} for i in range(len(spectra))]
    layer = {"id": "l1", "name": "1", "kind": "spectral", "sounds": sounds,
             "settings": {"level": -24, **settings}}  # fmt: skip
    document = parse_instrument({"version": 4, "name": "bench", "layers": [layer]})
    engine = Engine(compile_program(document, HeldMaterials(spectra=tuple(spectra))))
    engine.render(ENGINE_RATE // 4, [Event("on", i, 36.0 + i, 0.8) for i in range(VOICES)])
    return engine


def overlap_add(frames: np.ndarray) -> np.ndarray:
    """A second of the same voices as frames of an inverse FFT, overlapped: no tracking, no pitch."""
    count = ENGINE_RATE // HOP
    out = np.zeros((VOICES, count * HOP + WINDOW), np.float32)
    window = np.hanning(WINDOW).astype(np.float32)
    for frame in range(count):
        pieces = scipy.fft.irfft(frames[:, frame % frames.shape[1]], axis=1) * window
        out[:, frame * HOP : frame * HOP + WINDOW] += pieces
    return out.sum(axis=0)


def main() -> None:
    sound = busy_sound(4.0)
    spectrum = analyse(sound, ENGINE_RATE, 110.0)
    other = analyse(sound[::-1].copy(), ENGINE_RATE, 110.0)
    shape = (VOICES, 64, WINDOW // 2 + 1)
    frames = (RNG.standard_normal(shape) + 1j * RNG.standard_normal(shape)).astype(np.complex64)
    engines = {
        f"24 voices, {spectrum.most_at_once} partials and noise": engine_of([spectrum]),
        "the same, formants kept": engine_of([spectrum], formants="kept"),
        "the same, half way in a morph": engine_of([spectrum, other], morph=50.0),
        "the same, everything on": engine_of(
            [spectrum], formants="kept", blur_time=300, blur_frequency=20, detune=9, tilt=-3,
            pull=40, most=40, drawn=50,
        ),
    }  # fmt: skip
    runs = {name: (lambda e=e: e.render(ENGINE_RATE)) for name, e in engines.items()}
    runs["24 voices by inverse FFT, overlapped"] = lambda: overlap_add(frames)
    found = in_turn(runs, 7)
    plain = next(iter(found.values()))
    for name, seconds in found.items():
        say(name, f"{seconds:.3f} of a core, {seconds / plain:.2f} of plain")
    long = busy_sound(20.0)
    analyse(long[:ENGINE_RATE], ENGINE_RATE, 110.0)
    times = []
    for _ in range(3):
        start = time.process_time()
        analyse(long, ENGINE_RATE, 110.0)
        times.append(time.process_time() - start)
    say("taking 20 s of it apart", f"{20 / np.median(times):.1f} times real time on one core")


if __name__ == "__main__":
    main()
