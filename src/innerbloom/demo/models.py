"""Physical sketches of the made-up sounds: rng, length in seconds and rate in, samples out.

Modal and friction models follow P. R. Cook, *Real Sound Synthesis for Interactive
Applications*, A K Peters 2002. Sounds of very many small events: see
:mod:`.many_events`; of moving air: see :mod:`.wind`.
"""

from __future__ import annotations

import numpy as np

from innerbloom.demo.synthesis import (
    Signal,
    band,
    coloured_noise,
    edges,
    resonate,
    room,
    scatter,
    seconds,
    strike,
    wander,
)


def bowed_wire(rng: np.random.Generator, duration: float, rate: int) -> Signal:
    """A long wire under a slow bow: steady harmonics whose balance keeps moving."""
    t = seconds(duration, rate)
    frames = len(t)
    hz = 110.0 * 2 ** ((14 + 4 * wander(rng, frames, rate, 0.6)) / 1200)
    phase = 2 * np.pi * np.cumsum(hz) / rate
    press = np.clip(
        np.sin(np.pi * t / duration) ** 0.6 * (1 + 0.35 * wander(rng, frames, rate, 0.8)), 0, None
    )
    out = np.zeros(frames)
    for k in range(1, 34):
        bright = np.clip(1.0 + 0.8 * wander(rng, frames, rate, 0.5), 0.02, None)
        out += bright * np.sin(k * phase + rng.uniform(0, 6.28)) / k ** (1.25 - 0.25 * press)
    scrape = band(coloured_noise(rng, frames, 2.0), 900, 9_000, rate) * np.abs(np.sin(phase)) ** 6
    return edges((out + 0.12 * scrape) * press, rate, 0.15)


def kettle_lid(rng: np.random.Generator, duration: float, rate: int) -> Signal:
    """Thin struck steel: a clear fundamental, split modes that beat, and a short rattle."""
    base = 659.26 * 2 ** (-31 / 1200)
    modes = [
        (base, 1.0, 6.5),
        (base * 1.0021, 0.45, 5.8),
        (base * 2.003, 0.5, 3.4),
        (base * 2.9986, 0.30, 2.6),
        (base * 4.19, 0.22, 1.7),
        (base * 5.43, 0.18, 1.1),
        (base * 6.79, 0.14, 0.8),
        (base * 8.21, 0.12, 0.5),
    ]
    out = strike(round(duration * rate), rate, modes, rng)
    rattle = np.zeros(len(out))

    def tick(r: np.random.Generator) -> Signal:
        return strike(
            int(0.03 * rate), rate, [(base * 6.8, 1.0, 0.03), (base * 11.1, 0.7, 0.02)], r
        )

    scatter(rattle, rng, 0.05 + 0.045 * np.arange(7) ** 0.9, rate, tick)
    return edges(out + 0.05 * rattle, rate, 0.004)


def sluice_wheel(rng: np.random.Generator, duration: float, rate: int) -> Signal:
    """A dry bearing groaning once a turn, chain teeth, water behind."""
    t = seconds(duration, rate)
    frames = len(t)
    turn = 0.5 - 0.5 * np.cos(2 * np.pi * 0.72 * t + 0.5 * wander(rng, frames, rate, 0.4))
    hz = 73.4 * (1 + 0.16 * turn + 0.03 * wander(rng, frames, rate, 3.0))
    phase = 2 * np.pi * np.cumsum(hz) / rate
    stick = np.tanh(3 * np.sin(phase) + 1.5 * np.sin(2.76 * phase)) * turn**2
    groan = sum(resonate(stick, f, 0.12, rate) for f in (233.0, 415.0, 760.0, 1_270.0))
    teeth = np.zeros(frames)

    def tooth(r: np.random.Generator) -> Signal:
        parts = [
            (f * r.uniform(0.98, 1.02), a, 0.09)
            for f, a in ((820, 1.0), (1_730, 0.6), (3_100, 0.4))
        ]
        return strike(int(0.12 * rate), rate, parts, r) * r.uniform(0.4, 1.0)

    scatter(teeth, rng, np.arange(0.1, duration - 0.2, 0.232), rate, tooth)
    water = band(coloured_noise(rng, frames, 3.5), 150, 5_000, rate, 1)
    return edges(
        room(groan / np.abs(groan).max() + 0.25 * teeth + 0.07 * water, rng, rate, 1.1, 0.3), rate
    )


def pump_hum(rng: np.random.Generator, duration: float, rate: int) -> Signal:
    """A far motor: low harmonics, slow beating, a little air."""
    t = seconds(duration, rate)
    frames = len(t)
    base = 48.9995 * 2 ** (3 / 1200)
    out = np.zeros(frames)
    for k, amplitude in enumerate(
        (1.0, 0.62, 0.5, 0.22, 0.3, 0.12, 0.1, 0.06, 0.05, 0.03), start=1
    ):
        swell = 1 + 0.2 * wander(rng, frames, rate, 0.3)
        out += amplitude * swell * np.sin(2 * np.pi * k * base * t + rng.uniform(0, 6.28))
    beat = 1 + 0.12 * np.sin(2 * np.pi * 0.31 * t)
    return edges(out * beat + 0.05 * coloured_noise(rng, frames, 5.0), rate, 0.3)


def blown_jar(rng: np.random.Generator, duration: float, rate: int) -> Signal:
    """A breath across a jar: one strong resonance excited by air."""
    t = seconds(duration, rate)
    frames = len(t)
    breath = np.sin(np.pi * t / duration) ** 0.5 * (1 + 0.2 * wander(rng, frames, rate, 1.2))
    hz = 261.63 * 2 ** ((42 + 6 * breath) / 1200)
    phase = 2 * np.pi * np.cumsum(hz) / rate
    tone = np.sin(phase) + 0.18 * np.sin(2 * phase + 0.4) + 0.09 * np.sin(3 * phase + 1.0)
    air = coloured_noise(rng, frames, 3.0)
    hiss = band(air, 230, 320, rate) * 0.25 + band(air, 1_500, 8_000, rate, 1) * 0.06
    return edges((tone + hiss) * np.clip(breath, 0, None), rate, 0.08)


def moths(rng: np.random.Generator, duration: float, rate: int) -> Signal:
    """Wing flutters and soft taps on glass."""
    frames = round(duration * rate)
    out = np.zeros((frames, 2))
    for _ in range(16):
        start, length = rng.uniform(0, duration - 1.6), rng.uniform(0.5, 1.5)
        t = seconds(length, rate)
        beat = rng.uniform(24, 38) * (1 + 0.06 * wander(rng, len(t), rate, 4.0))
        wings = np.clip(np.sin(2 * np.pi * np.cumsum(beat) / rate), 0, None) ** 3
        puff = band(coloured_noise(rng, len(t), 3.0), 250, 3_800, rate, 1) * wings
        puff *= np.sin(np.pi * t / length) * rng.uniform(0.3, 1.0)
        angle = rng.uniform(0, np.pi / 2)
        at = int(start * rate)
        out[at : at + len(t)] += puff[:, None] * [np.cos(angle), np.sin(angle)]
    taps = np.zeros(frames)

    def tap(r: np.random.Generator) -> Signal:
        hz = r.uniform(2_300, 3_300)
        return strike(
            int(0.08 * rate), rate, [(hz, 1.0, 0.07), (hz * 1.7, 0.5, 0.04)], r
        ) * r.uniform(0.2, 0.8)

    scatter(taps, rng, np.sort(rng.uniform(0, duration - 0.2, 38)), rate, tap)
    floor = 0.006 * rng.standard_normal((frames, 2))
    return edges(out + taps[:, None] * [0.8, 0.6] + floor, rate)
