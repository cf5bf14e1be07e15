"""What an effect does, as a curve to draw: measured, by sending test sounds through it."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.parameters import settings_dtype, settings_row
from innerbloom.core.dsp.rates import BLOCK, RATE, TICK
from innerbloom.core.effects import EFFECT_KINDS, Effect, Ticks
from innerbloom.core.engine.effect_slot import run_effect
from innerbloom.core.instrument.mixing import Effect as Described
from innerbloom.core.materials.protocol import Materials

HZ = np.geomspace(20.0, 20_000.0, 160)
LEVELS_DB = np.arange(-72.0, 1.0, 3.0)
MOMENTS = 160
_IMPULSE = 0.25
_BURST_S = 0.005
_FLOOR_DB = -72.0
_LONGEST_S = 12.0
_QUIET_PIECES = 5
"""Quarters of a second of quiet after which it has died away: longer than between two echoes."""

_TIMED_S = 0.1
_LEVEL_FRAMES = round(0.3 * RATE)
"""Of each level: effects that follow slower than this are drawn on their way."""

_TONE_HZ = 110.0

Points = list[tuple[float, float]]


@dataclass(frozen=True)
class EffectPicture:
    """A curve, and what the effect takes.

    Attributes
    ----------
    points : list of (x, y)
        By the kind's ``picture``: Hz and dB, dB in and out, samples in and out, or seconds and dB.
    cost : float
        Share of a core's time, as measured just now.
    latency_ms : float
    """

    points: Points
    cost: float
    latency_ms: float


def picture_of(effect: Described, materials: Materials) -> EffectPicture:
    """The picture of an effect as it is set in a document.

    Raises
    ------
    BloomError
        If its sound cannot be found.
    """
    kind = EFFECT_KINDS[effect.kind]
    made = None if kind.prepare is None else kind.prepare(effect, materials)
    row = settings_row(effect.settings, kind.declared)
    record = row.view(settings_dtype(kind.declared))
    record["on"], record["beside"] = 0.0, 0.0

    def fresh() -> _Test:
        return _Test(kind.make(made), record)

    drawn = _DRAWN.get(kind.picture)
    points = [] if drawn is None else drawn(fresh)
    return EffectPicture(points, _cost(fresh()), 1000.0 * fresh().effect.latency / RATE)


class _Test:
    """An effect, and its settings as they stay."""

    def __init__(self, effect: Effect, record: NDArray[Any]) -> None:
        self.effect, self._values = effect, np.repeat(record, BLOCK // TICK)
        self._tick = 0

    def send(self, sound: NDArray[np.float32]) -> NDArray[np.float32]:
        """A sound of shape (frames, 2) through it; a whole number of blocks comes out."""
        frames = -(-len(sound) // BLOCK) * BLOCK
        out = np.zeros((frames, 2), np.float32)
        out[: len(sound)] = sound
        for at in range(0, frames, BLOCK):
            ticks = Ticks(self._tick, self._tick * TICK / RATE, self._values, keys=(57.0,))
            run_effect(self.effect, out[at : at + BLOCK], ticks)
            self._tick += BLOCK // TICK
        return out


Fresh = Callable[[], _Test]


def _rounded(xs: Any, ys: Any) -> Points:
    return [(round(float(x), 4), round(float(y), 2)) for x, y in zip(xs, ys, strict=True)]


def _db(amplitude: Any) -> Any:
    return 20.0 * np.log10(np.maximum(amplitude, 1e-6))


def _response(fresh: Fresh) -> Points:
    impulse = np.zeros((RATE // 4, 2), np.float32)
    impulse[0] = _IMPULSE
    power = np.abs(np.fft.rfft(fresh().send(impulse), axis=0) / _IMPULSE) ** 2
    bins = np.fft.rfftfreq(2 * (len(power) - 1), 1.0 / RATE)
    mean = np.interp(HZ, bins, power.mean(axis=1))
    return _rounded(HZ, np.maximum(0.5 * _db(mean), _FLOOR_DB))


def _levels(fresh: Fresh) -> Points:
    tone = np.sin(2.0 * np.pi * 1_000.0 * np.arange(_LEVEL_FRAMES) / RATE)[:, None]
    out = []
    for level in LEVELS_DB:
        sound = (10.0 ** (level / 20.0) * np.repeat(tone, 2, axis=1)).astype(np.float32)
        out.append(np.abs(fresh().send(sound)[-RATE // 20 :]).max())
    return _rounded(LEVELS_DB, np.maximum(_db(np.array(out)), LEVELS_DB[0]))


def _shape(fresh: Fresh) -> Points:
    test = fresh()
    sweep = np.sin(2.0 * np.pi * 25.0 * np.arange(RATE // 5) / RATE)
    sound = np.stack([sweep, sweep], axis=1).astype(np.float32)
    late = test.effect.latency
    out = test.send(np.concatenate((sound, np.zeros((late + BLOCK, 2), np.float32))))
    period = RATE // 25
    first = 3 * period
    places = np.linspace(0, period, MOMENTS, endpoint=False).astype(int)
    return _rounded(sound[first + places, 0], out[first + late + places, 0])


def _decay(fresh: Fresh) -> Points:
    test = fresh()
    rng = np.random.default_rng(1)
    burst = 0.3 * rng.standard_normal((round(_BURST_S * RATE), 2)).astype(np.float32)
    wet = [test.send(np.concatenate((burst, np.zeros((BLOCK * 8, 2), np.float32))))]
    silence = np.zeros((RATE // 4 // BLOCK * BLOCK, 2), np.float32)
    # until it has died away, or long enough
    while sum(map(len, wet)) < _LONGEST_S * RATE and test.effect.ringing():
        wet.append(test.send(silence))
        if max(np.abs(one).max() for one in wet[-_QUIET_PIECES:]) < 1e-5:
            break
    whole = np.concatenate(wet)
    edges = np.linspace(0, len(whole), MOMENTS + 1).astype(int)
    power = np.array([np.square(whole[a:b]).mean() for a, b in pairwise(edges)])
    level = 10.0 * np.log10(power + 1e-14)
    return _rounded(edges[:-1] / RATE, np.maximum(level - level.max(), _FLOOR_DB))


def _partials(fresh: Fresh) -> Points:
    at = np.arange(RATE) / RATE
    tone = 0.25 * sum(np.sin(2.0 * np.pi * _TONE_HZ * n * at) / n for n in (1, 2, 3))
    quiet = np.stack([tone, tone], axis=1).astype(np.float32)
    out = fresh().send(quiet)[RATE // 2 :].mean(axis=1)
    spectrum = np.abs(np.fft.rfft(out * np.hanning(len(out)))) * 4.0 / len(out)
    hz = np.fft.rfftfreq(len(out), 1.0 / RATE)
    peaks = np.flatnonzero(
        (spectrum[1:-1] > spectrum[:-2]) & (spectrum[1:-1] > spectrum[2:]) & (spectrum[1:-1] > 3e-4)
    )
    loudest = np.sort(peaks[np.argsort(-spectrum[peaks + 1])][:40] + 1)
    return _rounded(hz[loudest], _db(spectrum[loudest]))


def _cost(test: _Test) -> float:
    """Share of a core, the first blocks left out."""
    rng = np.random.default_rng(2)
    noise = 0.1 * rng.standard_normal((round(_TIMED_S * RATE), 2)).astype(np.float32)
    test.send(noise[: 4 * BLOCK])
    begun = time.perf_counter()
    out = test.send(noise)
    return (time.perf_counter() - begun) / (len(out) / RATE)


_DRAWN: dict[str, Callable[[Fresh], Points]] = {
    "response": _response,
    "levels": _levels,
    "shape": _shape,
    "decay": _decay,
    "partials": _partials,
}
