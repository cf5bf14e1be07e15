"""One sample: a note played by the engine, its loop found and closed, its release cut off for itself."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import soxr
from numpy.typing import NDArray

from innerbloom.core.deliver.playable import with_seed
from innerbloom.core.deliver.print_note import best_loop, closed
from innerbloom.core.deliver.render import render_blocks
from innerbloom.core.deliver.samples.settings import RATES
from innerbloom.core.deliver.samples.zones import Zone
from innerbloom.core.deliver.variations import rung_out
from innerbloom.core.engine import ENGINE_RATE, Program, compile_program
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.document import Instrument
from innerbloom.core.materials.protocol import Materials
from innerbloom.core.performance.events import single_note
from innerbloom.core.sound.fades import faded, rising
from innerbloom.core.sound.loop import Loop
from innerbloom.core.units import db_to_gain

Sound = NDArray[np.float32]
HAND_OVER_S = 0.03
"""How long what is held fades while the release sample comes in."""

_SILENT = 1e-6
_DIES_DB = 40.0
"""A sound that has fallen by so much while its key is held is not looped."""

_WINDOW_S = 0.1
_SHORT_S = 0.3
_AFTER_LOOP = 64
_RELEASES_S = (0.005, 30.0)
_NOTHING_S = 0.04


@dataclass(frozen=True)
class Sample:
    """A note that was sampled.

    Attributes
    ----------
    zone : Zone
    seed : int
        The instrument's, by which it was played.
    rate : int
    sound : ndarray of float32, shape (frames, 2)
        From when the key is struck; to the loop's end, or as far as it goes.
    loop : Loop or None
    release : ndarray or None
        From when the key is let go.
    release_s : float
        How long a release takes down to -60 dB.
    """

    zone: Zone
    seed: int
    rate: int
    sound: Sound
    loop: Loop | None
    release: Sound | None
    release_s: float


def sample(document: Instrument, zone: Zone, settings: Any, materials: Materials) -> Sample:
    """Play and cut one note.

    Raises
    ------
    BloomError
        If it is silent, or a recording cannot be found.
    """
    seed = (int(document.settings.seed) + zone.turn) % 1_000_000  # type: ignore[attr-defined]
    seeded = with_seed(document, seed)
    assert isinstance(seeded, Instrument)
    program = compile_program(seeded, materials)
    rate = RATES[settings.rate]
    whole = _played(program, zone, settings.seconds, rate)
    held = round(settings.seconds * rate)
    if dies_away(whole[:held], rate):
        short = _played(program, zone, min(_SHORT_S, settings.seconds), rate)
        let_go = round(min(_SHORT_S, settings.seconds) * rate)
        return Sample(zone, seed, rate, rung_out(whole), None, None, _decay_s(short, let_go, rate))
    sound, loop = _held(whole, held, rate, looped=settings.loops == "found")
    release = None
    if settings.release == "a sample of its own":
        release = _release(whole, held, rate)
    release_s = HAND_OVER_S if release is not None else _decay_s(whole, held, rate)
    return Sample(zone, seed, rate, sound, loop, release, release_s)


def _played(program: Program, zone: Zone, seconds: float, rate: int) -> Sound:
    events = single_note(float(zone.key), seconds, ENGINE_RATE, zone.velocity / 127.0)
    whole = np.concatenate(list(render_blocks(program, events)))
    if np.abs(whole).max(initial=0.0) < _SILENT:
        raise BloomError(f"Key {zone.key} is silent: choose other keys, or look at the levels.")
    if rate == ENGINE_RATE:
        return whole
    return np.asarray(soxr.resample(whole, ENGINE_RATE, rate, "VHQ"), np.float32)


def dies_away(held: Sound, rate: int) -> bool:
    """Whether a sound has fallen by 40 dB or more while its key was held."""
    window = max(1, round(_WINDOW_S * rate))
    level = [float(np.mean(held[at : at + window] ** 2)) for at in range(0, len(held), window)]
    return level[-1] <= max(level) * db_to_gain(-_DIES_DB) ** 2


def _held(whole: Sound, held: int, rate: int, *, looped: bool) -> tuple[Sound, Loop | None]:
    """What sounds while the key is held, with its loop closed where one is found."""
    found = best_loop(whole, held / rate, rate) if looped else None
    if found is None:
        fade = min(held // 2, round(HAND_OVER_S * rate))
        return faded(whole[:held].copy(), 0, fade, "linear", "equal power"), None
    sound = closed(whole, *found)
    start, end, _ = found
    # players that read between samples look a little past the end
    after = sound[start : start + _AFTER_LOOP]
    return np.concatenate((sound[:end], after)), Loop(start, end)


def _release(whole: Sound, held: int, rate: int) -> Sound | None:
    """What follows when the key is let go, coming in as what is held fades; None for nothing."""
    tail = whole[held:]
    if len(tail) < _NOTHING_S * rate or np.abs(tail).max(initial=0.0) < _SILENT:
        return None
    tail = rung_out(tail)
    fade = min(len(tail), round(HAND_OVER_S * rate))
    tail[:fade] *= rising(fade, "equal power")[:, None].astype(np.float32)
    return tail


def _decay_s(sound: Sound, let_go: int, rate: int) -> float:
    """Seconds from when the key is let go to 60 dB below the level there."""
    window = round(0.01 * rate)
    tail = np.abs(sound[let_go:]).max(axis=1, initial=0.0)
    at = float(np.abs(sound[max(0, let_go - 5 * window) : let_go]).max(initial=_SILENT))
    loud = np.flatnonzero(tail > at * 1e-3)
    seconds = float(loud[-1] + 1) / rate if len(loud) else 0.0
    return float(np.clip(seconds, *_RELEASES_S))
