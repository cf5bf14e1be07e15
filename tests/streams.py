"""Streams of sound sent through one effect, as a chain would."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

import numpy as np

from innerbloom.core.declare.parameters import default_record, engine_value
from innerbloom.core.dsp.rates import RATE, TICK
from innerbloom.core.effects import EFFECT_KINDS, Effect, Ticks
from innerbloom.core.engine.effect_slot import run_effect

Moved = Callable[[float], dict[str, float | str]]
"""Settings at a moment in seconds."""


class Around(NamedTuple):
    """What lies around a stream: a layer to listen to, keys, tempo, and the first tick's number."""

    heard: np.ndarray | None = None
    keys: tuple[float, ...] = ()
    beat_s: float = 0.5
    first: int = 0


ALONE = Around()


def record_of(kind: str, settings: dict[str, float | str]) -> np.ndarray:
    declared = EFFECT_KINDS[kind].declared
    record = default_record(declared)
    for one in declared:
        if one.id in settings:
            record[one.id] = engine_value(one, settings[one.id])
    return record


def through(
    kind: str | Effect,
    sound: np.ndarray,
    *,
    made: Any = None,
    moved: Moved | None = None,
    cuts: Sequence[int] = (4,),
    of: str = "",
    around: Around = ALONE,
    **settings: float | str,
) -> np.ndarray:
    """What comes of a sound of shape (frames,) or (frames, 2), cut to whole ticks.

    ``cuts`` are lengths of stretches in ticks, in turn; ``of`` names the kind where an effect is
    given that has worked before.
    """
    effect = EFFECT_KINDS[kind].make(made) if isinstance(kind, str) else kind
    name = kind if isinstance(kind, str) else of
    shaped = np.stack([sound, sound], axis=1) if sound.ndim == 1 else sound
    out = np.array(shaped[: len(shaped) // TICK * TICK], np.float32, order="C")
    done, turn, count = 0, 0, len(out) // TICK
    while done < count:
        ticks = min(cuts[turn % len(cuts)], count - done)
        rows = [
            record_of(name, {**settings, **(moved((done + i + 1) * TICK / RATE) if moved else {})})
            for i in range(ticks if moved else 1)
        ]
        values = np.concatenate(rows) if moved else np.repeat(rows[0], ticks)
        stretch = slice(done * TICK, (done + ticks) * TICK)
        heard = around.heard
        other = None if heard is None else np.ascontiguousarray(heard[stretch], np.float32)
        ticks_of = Ticks(
            around.first + done, done * TICK / RATE, values, around.beat_s, around.keys, other
        )
        run_effect(effect, out[stretch], ticks_of)
        done, turn = done + ticks, turn + 1
    return out


def impulse(seconds: float, level: float = 1.0) -> np.ndarray:
    made = np.zeros((round(seconds * RATE), 2), np.float32)
    made[0] = level
    return made


def noise(seconds: float, level: float = 0.1, seed: int = 1) -> np.ndarray:
    rng = np.random.default_rng(seed)
    return (level * rng.standard_normal((round(seconds * RATE), 2))).astype(np.float32)


def tone(hz: float, seconds: float, level: float = 0.25) -> np.ndarray:
    one = level * np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE)
    return np.stack([one, one], axis=1).astype(np.float32)


def response_db(sound: np.ndarray, hz: np.ndarray) -> np.ndarray:
    """Gain in dB at frequencies, of a response of one channel to an impulse of 1."""
    spectrum = np.exp(-2j * np.pi * np.outer(hz, np.arange(len(sound))) / RATE) @ sound
    return 20 * np.log10(np.abs(spectrum) + 1e-12)
