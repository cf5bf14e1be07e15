"""Sounds of very many small events: rain on panes, ice that cracks, stones under water.

No two events are alike: each has its own strength, place and balance of modes, and none is a sine
alone. Modes of a plate lie as in N. H. Fletcher and T. D. Rossing, *The Physics of Musical
Instruments*, Springer 1998; bubbles rise and die away as in K. van den Doel, "Physically based models
for liquid sounds", ACM Transactions on Applied Perception 2(4), 2005; a crack comes through a sheet as
bending waves, whose high frequencies run ahead, and smaller ones follow it at Omori's rate.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import scipy
from numpy.typing import NDArray

from innerbloom.demo.synthesis import (
    Signal,
    at_unit_energy,
    band,
    burst,
    coloured_noise,
    edges,
    room,
    seconds,
    strike,
    wander,
)


def _put(out: Signal, at: int, wave: Signal, place: float) -> None:
    """Add a wave from a frame on, at a place from left (0) to right (1), at equal power."""
    end = min(len(out), at + len(wave))
    angle = 0.5 * np.pi * place
    out[at:end] += wave[: end - at, None] * [np.cos(angle), np.sin(angle)]


def _in_a_room(
    out: Signal, rng: np.random.Generator, rate: int, decay: float, share: float
) -> Signal:
    """The same with a room around it, by its share of the root mean square."""
    wet = room(out.mean(axis=1), rng, rate, decay, 1.0)
    return np.asarray(out + share * wet * np.sqrt(np.mean(out**2) / np.mean(wet**2)))


# -- rain -----------------------------------------------------------------------


def _plate_modes(lowest: float, ratio: float, count: int) -> Signal:
    """Frequencies of a rectangular plate, the lowest first."""
    m = np.arange(1, 9)
    square = np.sort((m[:, None] ** 2 + (ratio * m[None, :]) ** 2).ravel())
    return np.asarray(lowest * square[:count] / square[0])


def _drop(rng: np.random.Generator, rate: int, modes: Signal) -> Signal:
    """A drop at one place of a pane: a splash of noise, and the modes that have no node there."""
    parts = [(hz, rng.standard_normal() / (1 + hz / 1_800), 0.11 / (1 + hz / 900)) for hz in modes]
    ring = 0.55 * at_unit_energy(strike(int(0.12 * rate), rate, parts, rng))
    splash = burst(rng, 0.012, rate, (700, 7_000), rng.uniform(0.002, 0.008))
    ring[: len(splash)] += 0.8 * splash
    return ring


def rain_on_glass(rng: np.random.Generator, duration: float, rate: int) -> Signal:
    """Some 700 drops a second on panes of four sizes, most of them small, over far rain."""
    frames = round(duration * rate)
    gust = np.exp(0.5 * wander(rng, frames, rate, 0.3) + 0.25 * wander(rng, frames, rate, 1.7))
    out = np.zeros((frames, 2))
    for _ in range(4):
        modes = _plate_modes(rng.uniform(160, 420), rng.uniform(1.1, 1.9), 40)
        pane = rng.uniform(0.1, 0.9)
        for _ in range(4):
            drop = _drop(rng, rate, modes)
            at = rng.integers(0, frames, rng.poisson(45 * duration))
            at = at[rng.uniform(0, gust.max(), len(at)) < gust[at]]
            train = np.zeros(frames)
            np.add.at(train, at, np.minimum(rng.pareto(1.7, len(at)) + 0.15, 9.0))
            heard = scipy.signal.oaconvolve(train, drop)[:frames]
            _put(out, 0, heard, float(np.clip(pane + 0.15 * rng.standard_normal(), 0.03, 0.97)))
    level = np.sqrt(np.mean(out**2))
    for channel in out.T:
        for share, slope, low, high in ((0.5, 3.0, 500, 9_000), (0.25, 4.0, 60, 500)):
            wash = band(coloured_noise(rng, frames, slope), low, high, rate, 1)
            channel += share * level * gust * wash / wash.std()
    return edges(out, rate)


# -- ice --------------------------------------------------------------------------


def _through_a_sheet(
    rng: np.random.Generator, frames: int, rate: int, delay: float, band_hz: tuple[float, float]
) -> Signal:
    """A snap after bending waves have carried it: ``delay`` seconds at 100 Hz, less by the root above."""
    hz = np.maximum(np.fft.rfftfreq(frames, 1 / rate), 20.0)
    phase = -4 * np.pi * delay * np.sqrt(100.0 * hz)
    rough = np.interp(np.log2(hz), np.linspace(4, 16, 60), rng.normal(0, 5, 60))
    low, high = band_hz
    gain = 10 ** (rough / 20) / np.sqrt(1 + (low / hz) ** 4) / (1 + (hz / high) ** 1.3)
    return at_unit_energy(np.fft.irfft(gain * np.exp(1j * phase), frames))


def _crack(rng: np.random.Generator, rate: int, far: float, length_s: float) -> Signal:
    """One crack and what comes back from the shore, in stereo; ``far`` is 0.3 for near, 1 for far."""
    frames = scipy.fft.next_fast_len(int(length_s * rate), real=True)
    delay = rng.uniform(0.06, 0.4) * far * min(1.0, length_s)
    low, high = rng.uniform(120, 300), rng.uniform(1_500, 5_000) / (0.6 + far)
    first = _through_a_sheet(rng, frames, rate, delay, (low, high))
    back = _through_a_sheet(rng, frames, rate, 2.6 * delay, (low, 0.6 * high))
    back *= rng.choice([-0.5, 0.5])
    snap = burst(rng, 0.05, rate, (300, 9_000), rng.uniform(0.008, 0.04))
    first[: len(snap)] += 0.16 / (0.3 + far) * snap
    apart = int(rng.uniform(0.0002, 0.004) * rate)
    both = np.stack((first + back, np.roll(first, apart) + np.roll(back, -apart)), axis=1)
    angle = 0.5 * np.pi * rng.uniform(0.15, 0.85)
    fade = np.exp(-5.5 * np.arange(frames) / frames)[:, None]
    return np.asarray(both * fade * [np.cos(angle), np.sin(angle)])


def _creak(rng: np.random.Generator, rate: int) -> Signal:
    """A train of tiny snaps whose rate glides."""
    parts = [
        (rng.uniform(200, 2_200), rng.uniform(0.3, 1), rng.uniform(0.02, 0.09)) for _ in range(7)
    ]
    body = at_unit_energy(strike(int(0.09 * rate), rate, parts, rng))
    train, at = np.zeros(int(1.6 * rate)), 0.0
    hz, glide = rng.uniform(18, 60), rng.uniform(-0.6, 0.6)
    while at < 1.4:
        train[int(at * rate)] += rng.lognormal(0, 0.5) * np.sin(np.pi * at / 1.4)
        at += rng.lognormal(0, 0.18) / (hz * 2 ** (glide * at))
    return np.asarray(scipy.signal.fftconvolve(train, body)[: len(train)])


def ice_settling(rng: np.random.Generator, duration: float, rate: int) -> Signal:
    """Cracks that sing through the sheet, smaller ones after them, and creaking, over still water."""
    frames = round(duration * rate)
    out = np.zeros((frames, 2))

    def add(at_s: float, wave: Signal) -> None:
        at = int(at_s * rate)
        out[at : at + len(wave)] += wave[: max(0, frames - at)]

    # one in each part of the time, so that none of it is empty
    count = 15
    for number in range(count):
        at = 0.4 + (number + rng.uniform()) * (duration - 2.8) / count
        size, far = rng.lognormal(0, 0.35), rng.uniform(0.3, 1.0)
        add(at, size * _crack(rng, rate, far, 2.4))
        for _ in range(rng.poisson(4)):
            later = at + 0.02 * (np.exp(rng.uniform(0, 4.2)) - 1)
            if later < duration - 0.8:
                add(later, size * rng.uniform(0.05, 0.3) * _crack(rng, rate, far, 0.5))
    for _ in range(5):
        at = int(rng.uniform(1, duration - 3) * rate)
        _put(out, at, 0.12 * _creak(rng, rate), rng.uniform(0.2, 0.8))
    out = _in_a_room(out, rng, rate, 3.0, 0.25)
    peak = np.abs(out).max()
    for channel in out.T:
        water = band(coloured_noise(rng, frames, 4.5), 40, 4_000, rate, 1)
        channel += (
            0.0022 * peak * water / water.std() * np.exp(0.4 * wander(rng, frames, rate, 0.5))
        )
    return edges(out, rate)


# -- stones -----------------------------------------------------------------------

Stone = tuple[float, NDArray[np.float64], float]
"""Lowest mode in Hz, ratios of all to it, and seconds in which the lowest falls by 60 dB."""


def _stone(rng: np.random.Generator) -> Stone:
    ratios = np.concatenate(([1.0], 1 + np.cumsum(rng.uniform(0.18, 0.75, 7))))
    return 700 * 2 ** rng.uniform(0, 2.36), ratios, rng.uniform(0.07, 0.3)


def _knock(rng: np.random.Generator, rate: int, stones: tuple[Stone, Stone]) -> Signal:
    """Two stones that touch: the modes of both, struck elsewhere each time, and the touch itself."""
    out = np.zeros(int(0.1 * rate))
    for hz, ratios, decay in stones:
        parts = [
            (hz * ratio * rng.uniform(0.995, 1.005), rng.standard_normal() / (1 + 0.3 * n),
             decay * rng.uniform(0.7, 1.3) / (1 + 0.15 * n))
            for n, ratio in enumerate(ratios)
        ]  # fmt: skip
        out += at_unit_energy(strike(len(out), rate, parts, rng))
    click = burst(rng, 0.02, rate, (700, 6_000), rng.uniform(0.004, 0.012))
    out[: len(click)] += 0.4 * click
    return out


def _bubble(rng: np.random.Generator, rate: int) -> Signal:
    """A bubble that rises to the surface; its damping goes by its pitch, its rise by its damping."""
    hz = 420 * 2 ** rng.uniform(0, 2.6)
    damping = 0.043 * hz + 0.0014 * hz**1.5
    t = seconds(min(0.2, 7 / damping), rate)
    rising = hz * (1 + 0.1 * rng.uniform() * damping * t)
    out = np.sin(2 * np.pi * np.cumsum(rising) / rate) * np.exp(-damping * t)
    attack = int(0.0005 * rate)
    out[:attack] *= np.linspace(0, 1, attack)
    return np.asarray(out)


Touch = Callable[[], Signal]


def _bounce(out: Signal, rng: np.random.Generator, rate: int, at: float, touch: Touch) -> None:
    """A stone that falls: touches, each sooner and softer than the one before."""
    place, size, gap = rng.uniform(0.1, 0.9), rng.lognormal(-0.7, 0.6), rng.uniform(0.03, 0.11)
    for _ in range(1 + rng.poisson(1.6)):
        _put(out, int(at * rate), size * touch(), place)
        at += gap
        gap *= rng.uniform(0.55, 0.9)
        size *= rng.uniform(0.4, 0.85)


def _slide(out: Signal, rng: np.random.Generator, rate: int, at: float, touch: Touch) -> None:
    """Stones that slide: many small touches at one place."""
    span, place = rng.uniform(0.25, 0.9), rng.uniform(0.2, 0.8)
    for share in rng.beta(1.6, 2.2, rng.integers(25, 90)):
        size = 0.1 * rng.lognormal(-0.4, 0.7)
        _put(out, int((at + span * share) * rate), size * touch(), place)


def pebbles(rng: np.random.Generator, duration: float, rate: int) -> Signal:
    """Stones that are turned: they knock and bounce, slide, and let bubbles go, in moving water."""
    frames = round(duration * rate)
    out = np.zeros((frames, 2))
    stones = [_stone(rng) for _ in range(16)]

    def touching() -> Touch:
        one, other = rng.choice(len(stones), 2, replace=False)
        return lambda: _knock(rng, rate, (stones[one], stones[other]))

    at = 0.15
    while at < duration - 0.4:
        _bounce(out, rng, rate, at, touching())
        at += rng.exponential(0.2)
    for _ in range(9):
        _slide(out, rng, rate, rng.uniform(0.2, duration - 1.3), lambda: touching()())
    for _ in range(70):
        risen = 0.08 * rng.lognormal(0, 0.6) * _bubble(rng, rate)
        _put(out, int(rng.uniform(0.1, duration - 0.3) * rate), risen, rng.uniform(0.1, 0.9))
    out = _in_a_room(out, rng, rate, 0.5, 0.3)
    peak = np.abs(out).max()
    for channel in out.T:
        wash = band(coloured_noise(rng, frames, 3.5), 90, 7_000, rate, 1)
        moves = 0.5 * wander(rng, frames, rate, 0.9) + 0.3 * wander(rng, frames, rate, 4)
        channel += 0.003 * peak * wash / wash.std() * np.exp(moves)
    return edges(out, rate)
