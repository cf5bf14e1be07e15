"""Portrait of an instrument: what every key sounds like, at a glance.

References
----------
.. [1] Brightness is the spectral centroid (G. Peeters, "A large set of audio features for sound
   description", IRCAM 2004).
.. [2] Pitch by McLeod's method and tonality by spectral flatness, as for recordings.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import soxr
from numpy.typing import NDArray

from innerbloom.core.analysis.pitch import FRAME, RATE, frame_pitches
from innerbloom.core.analysis.tonalness import character, tonalness
from innerbloom.core.engine import ENGINE_RATE, Engine, Program
from innerbloom.core.errors import Cancelled
from innerbloom.core.instrument.owners import WHOLE_ID
from innerbloom.core.performance.events import Event
from innerbloom.core.prepare.words import MINUS, note
from innerbloom.core.prepare.words import level as in_words
from innerbloom.core.sound.levels import loudness

LOWEST, HIGHEST = 21, 108
"""The keys of a piano."""

_HEARD_S = 0.6
LOWEST_PITCHED = 29
"""The first key of which enough periods fit a frame."""

_LONGEST_WAIT_S = 3.0
_CLEAR = 0.8
_HALF = 0.5
_REFINED_FROM_HZ = 700.0


@dataclass(frozen=True)
class KeyPortrait:
    """One key.

    Attributes
    ----------
    key : int
    level : float or None
        LUFS while the key is down; None for silence.
    brightness : float
        Spectral centroid in Hz.
    tonal : float
        0 for noise to 1 for steady tones.
    cents : float or None
        How far the pitch lies from the key; None where there is no clear pitch.
    pitched : bool
        Whether a pitch could be told: a period of the lowest keys is too long for that.
    words : str
        All that as one line.
    """

    key: int
    level: float | None
    brightness: float
    tonal: float
    cents: float | None
    pitched: bool
    words: str


def portrait(
    program: Program,
    *,
    low: int = LOWEST,
    high: int = HIGHEST,
    velocity: float = 0.8,
    progress: Callable[[float], bool] = lambda share: True,
) -> list[KeyPortrait]:
    """Render and measure every key from ``low`` to ``high``.

    Raises
    ------
    Cancelled
        If ``progress`` says so.
    """
    wait = _time_to_full(program)
    tuning = float(program.setting(WHOLE_ID, "tuning"))
    found = []
    for number, key in enumerate(range(low, high + 1)):
        if not progress(number / (high - low + 1)):
            raise Cancelled("Stopped.")
        engine = Engine(program)
        engine.render(round(wait * ENGINE_RATE), [Event("on", 1, float(key), velocity)])
        found.append(measure_key(key, engine.render(round(_HEARD_S * ENGINE_RATE)), tuning))
    return found


def _time_to_full(program: Program) -> float:
    """Seconds until the slowest layer has risen, as far as one waits for it."""
    rises = [
        program.setting(layer.id, "delay") + program.setting(layer.id, "attack") + 20.0
        for layer in program.layers
        if program.setting(layer.id, "sustain") > 0
    ]
    return min(_LONGEST_WAIT_S, max(rises, default=0.0) / 1000.0)


def measure_key(key: int, sound: NDArray[np.float32], tuning: float = 440.0) -> KeyPortrait:
    """Measure a stretch of sound of shape (frames, 2) that a key made."""
    level = loudness(sound, ENGINE_RATE)
    if not math.isfinite(level):
        return KeyPortrait(key, None, 0.0, 0.0, None, False, f"{note(key)} is silent")
    mono = sound.mean(axis=1)
    slow = soxr.resample(mono, ENGINE_RATE, RATE).astype(np.float32)
    frames = np.lib.stride_tricks.sliding_window_view(slow, FRAME)[:: FRAME // 2].copy()
    tonal = tonalness(frames)
    cents = _cents_off(mono, frames, key, tuning)
    pitched = key >= LOWEST_PITCHED
    if cents is not None:
        pitch = f"{cents:+.0f} ct".replace("-", MINUS)
    else:
        pitch = "no clear pitch" if pitched else "too low to measure its pitch"
    brightness = _centroid(mono)
    words = (
        f"{note(key)}: {character(tonal)}, {pitch}, brightness {brightness:.0f} Hz, "
        f"{in_words(level, 'LUFS')}"
    )
    return KeyPortrait(
        key, round(level, 2), round(brightness, 1), round(tonal, 3), cents, pitched, words
    )


def _centroid(mono: NDArray[np.float32]) -> float:
    power = np.abs(np.fft.rfft(mono * np.hanning(len(mono)))) ** 2
    hz = np.fft.rfftfreq(len(mono), 1.0 / ENGINE_RATE)
    return float((power * hz).sum() / max(power.sum(), 1e-20))


def _cents_off(
    mono: NDArray[np.float32], frames: NDArray[np.float32], key: int, tuning: float
) -> float | None:
    pitches = frame_pitches(frames)
    clear = (pitches.clarity >= _CLEAR) & (pitches.hz > 0)
    if clear.mean() < _HALF:
        return None
    expected = tuning * 2.0 ** ((key - 69) / 12.0)
    hz = float(np.median(pitches.hz[clear]))
    if hz > _REFINED_FROM_HZ:
        hz = _peak_near(mono, hz)
    return round(float(1200.0 * np.log2(hz / expected)), 1)


def _peak_near(mono: NDArray[np.float32], hz: float) -> float:
    """The strongest partial within half a semitone: a period is only a few samples up there."""
    size = 1 << 18
    power = np.abs(np.fft.rfft(mono * np.blackman(len(mono)), size))
    at = np.fft.rfftfreq(size, 1.0 / ENGINE_RATE)
    near = np.flatnonzero(np.abs(np.log2(at[1:] / hz)) < 1.0 / 24.0) + 1
    return float(at[near[power[near].argmax()]])
