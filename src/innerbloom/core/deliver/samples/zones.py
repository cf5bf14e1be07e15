"""Which notes are sampled, and which keys and velocities each of them stands for."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.analysis.timbre import likeness, timbre, timbre_distance
from innerbloom.core.deliver.samples.settings import RATES
from innerbloom.core.engine import ENGINE_RATE, Engine, Program
from innerbloom.core.errors import BloomError, Cancelled
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.performance.events import Event
from innerbloom.core.process.varispeed import read_at

PASSES_FOR = 0.85
"""Likeness from which a sample at another pitch passes for the note itself."""

_PROBE_S = 1.2
_POINTS = (5, 3)
"""Velocities at which the level is measured in a layer: of a single one, and of each of several."""

BYTES = {"wav16": 4.0, "wav24": 6.0, "wav32f": 8.0, "flac": 4.0}
"""Of a stereo frame, by format; FLAC about."""

Report = Callable[[float], bool]


@dataclass(frozen=True)
class Zone:
    """A note that is sampled, and what it stands for; all ranges are inclusive.

    Attributes
    ----------
    key, velocity : int
        As it is played.
    lowest, highest : int
        Keys.
    softest, hardest : int
        Velocities.
    turn : int
        From 0, where several samples of the note take turns.
    """

    key: int
    velocity: int
    lowest: int
    highest: int
    softest: int
    hardest: int
    turn: int = 0


@dataclass(frozen=True)
class Estimate:
    """What sampling will come to; keys, files and sizes as the least and the most."""

    keys: tuple[int, int]
    files: tuple[int, int]
    seconds: float
    bytes: tuple[int, int]


def even_keys(low: int, high: int, step: int) -> list[int]:
    """Keys from lowest to highest, ``step`` apart at most.

    Raises
    ------
    BloomError
        If the range stands upside down.
    """
    if low > high:
        raise BloomError("The lowest key lies above the highest: turn them round.")
    count = max(1, -(-(high - low) // step)) + 1
    return sorted({round(key) for key in np.linspace(low, high, count)})


def keys_where_timbre_changes(
    probe: Callable[[int], NDArray[np.float32]], keys: Sequence[int], report: Report
) -> list[int]:
    """Even keys, and more between them wherever one moved half-way would not pass for what sounds there.

    Parameters
    ----------
    probe : callable
        Gives the sound of a key, shape (frames,) at 48 kHz.
    """
    heard = cache(probe)
    found: set[int] = set(keys)

    def refine(a: int, b: int) -> None:
        if b - a < 2:
            return
        if not report(0.0):
            raise Cancelled("Stopped.")
        middle = (a + b) // 2
        if min(_likeness(heard(middle), heard(key), middle - key) for key in (a, b)) < PASSES_FOR:
            found.add(middle)
            refine(a, middle)
            refine(middle, b)

    for a, b in pairwise(keys):
        refine(a, b)
    return sorted(found)


def _likeness(there: NDArray[np.float32], other: NDArray[np.float32], semitones: int) -> float:
    moved = transposed(other, semitones)
    # as long as each other: a sound read faster ends sooner
    frames = min(len(there), len(moved))
    one, two = (timbre(sound[:frames], ENGINE_RATE) for sound in (there, moved))
    return likeness(timbre_distance(one, two)) if one and two else 1.0


def transposed(mono: NDArray[np.float32], semitones: float) -> NDArray[np.float32]:
    """A sound read faster or slower, as a sampler does."""
    speed = 2.0 ** (semitones / 12.0)
    positions = np.arange(int(len(mono) / speed)) * speed
    return np.ascontiguousarray(read_at(mono[:, None], positions, max(1.0, speed))[:, 0])


def velocity_ranges(count: int) -> list[tuple[int, int]]:
    """Velocities 1 to 127 in so many ranges of like size, softest first."""
    edges = [round(127 * number / count) for number in range(count + 1)]
    return [(edges[n] + 1, edges[n + 1]) for n in range(count)]


def plan(program: Program, settings: Any, report: Report = lambda share: True) -> list[Zone]:
    """All zones of a set of samples, lowest key first.

    Raises
    ------
    BloomError
        If the range of keys stands upside down.
    Cancelled
        If ``report`` gives False.
    """
    keys = even_keys(settings.key_low, settings.key_high, settings.step)
    if settings.placing == "where the timbre changes":
        keys = keys_where_timbre_changes(lambda key: _probe(program, key, 100), keys, report)
    borders = [0, *((a + b) // 2 + 1 for a, b in pairwise(keys)), 128]
    # the outermost reach as far beyond their keys as the others, and no further
    borders[0] = max(0, keys[0] - settings.step // 2)
    borders[-1] = min(128, keys[-1] + settings.step // 2 + 1)
    return [
        Zone(key, hardest, borders[n], borders[n + 1] - 1, softest, hardest, turn)
        for n, key in enumerate(keys)
        for softest, hardest in velocity_ranges(settings.velocities)
        for turn in range(settings.turns)
    ]


def _probe(program: Program, key: int, velocity: int) -> NDArray[np.float32]:
    frames = round(_PROBE_S * ENGINE_RATE)
    heard = Engine(program).render(frames, [Event("on", 1, float(key), velocity / 127.0)])
    return np.ascontiguousarray(heard.mean(axis=1))


def velocity_curve(
    program: Program, settings: Any
) -> dict[tuple[int, int], list[tuple[int, float]]]:
    """How loud the instrument is at velocities of each layer, by its range.

    Measured at the middle key, so that a sampler that plays the layer's one sample softer follows
    the instrument.

    Returns
    -------
    dict of (softest, hardest) to list of (velocity, gain)
        Gains are linear, 0..1, against the hardest.
    """
    key = (settings.key_low + settings.key_high) // 2
    ranges = velocity_ranges(settings.velocities)
    points = _POINTS[0] if len(ranges) == 1 else _POINTS[1]
    return {one: _gains(program, key, *one, points) for one in ranges}


def _gains(
    program: Program, key: int, softest: int, hardest: int, points: int
) -> list[tuple[int, float]]:
    velocities = sorted({round(v) for v in np.linspace(softest, hardest, points)})
    power = [float(np.mean(_probe(program, key, v).astype(np.float64) ** 2)) for v in velocities]
    top = max(power[-1], 1e-20)
    return [
        (v, round(min(1.0, (p / top) ** 0.5), 4)) for v, p in zip(velocities, power, strict=True)
    ]


def estimate(document: Instrument, settings: Any, bytes_a_frame: float) -> Estimate:
    """About what a set will come to, without playing anything.

    Parameters
    ----------
    bytes_a_frame : float
        Of a stereo file, as it is written; see :data:`BYTES`.

    Raises
    ------
    BloomError
        If the range of keys stands upside down.
    """
    least = len(even_keys(settings.key_low, settings.key_high, settings.step))
    by_timbre = settings.placing == "where the timbre changes"
    most = settings.key_high - settings.key_low + 1 if by_timbre else least
    each = settings.velocities * settings.turns
    of_each = 2 if settings.release == "a sample of its own" else 1
    seconds = settings.seconds + _rings_s(document)
    size = seconds * RATES[settings.rate] * bytes_a_frame
    return Estimate(
        (least, most), (least * each * of_each, most * each * of_each), seconds,
        (round(least * each * size), round(most * each * size)),
    )  # fmt: skip


def _rings_s(document: Instrument) -> float:
    """About how long it sounds on after a key: its longest release, and its longest room."""
    layers: list[Any] = [layer.settings for layer in document.layers]
    parts: list[Any] = [document, *document.layers, *document.buses]
    effects = [effect.settings for part in parts for effect in part.effects]
    rooms = [float(getattr(one, "decay", 0.0)) for one in effects if one.on == "on"]
    return 1e-3 * (max(float(one.release) for one in layers) + max(rooms, default=0.0))
