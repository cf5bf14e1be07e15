"""Resonator: up to 24 tuned resonances, of a scale, of the keys that are down, or of a sound.

References
----------
.. [1] M. V. Mathews and J. O. Smith, "Methods for synthesizing very high Q parametrically well
   behaved two pole filters", SMAC 2003: a rotating complex number as a resonance, which stays
   stable while it is tuned.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Choice, Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.rates import RATE, TICK, TICK_S
from innerbloom.core.effects.compiled import CompiledEffect
from innerbloom.core.effects.kind import EffectKind, Ticks
from innerbloom.core.materials.described import PartialsRequest
from innerbloom.core.materials.protocol import Materials, Stretch
from innerbloom.core.pitch_names import note_to_hz
from innerbloom.core.scales import LATTICE

MODES = 24
_TUNED = ("harmonics", "a scale", "the keys", "a sound")
_STEPS = tuple(name for name, steps in LATTICE.items() if steps)

# fmt: off
RESONATOR: tuple[Declared, ...] = (
    Choice("tuned", "tuned to", _TUNED, "harmonics",
           "Harmonics of the root, a scale on it, the keys that are down and their octaves, or the "
           "strongest partials of a sound.", "Tuning"),
    P("root", "root", "Tuning", "key", 12, 96, 45, "Lowest resonance.",
      when=("tuned", ("harmonics", "a scale"))),
    Choice("steps", "scale", _STEPS, "fifths", "Steps that resonate.", "Tuning",
           when=("tuned", ("a scale",))),
    P("modes", "resonances", "Tuning", "", 1, 24, 12, "How many there are.", whole_number=True,
      movable=False),
    P("shift", "shift", "Tuning", "st", -24, 24, 0, "Transposes all of them.", sign=True),
    P("stretch", "stretch", "Tuning", "%", -20, 20, 0,
      "Widens or narrows what lies above the lowest, as of a stiff bar or a bell.", sign=True),
    P("decay", "decay", "Ring", "ms", 20, 30_000, 1_400, "Until the lowest has died away by 60 dB.",
      "log"),
    P("damping", "damping", "Ring", "%", 0, 100, 40, "How much sooner high ones die away."),
    P("brightness", "brightness", "Ring", "dB", -12, 6, -3,
      "By how much each octave above the lowest is louder.", sign=True),
    P("spread", "spread", "Output", "%", 0, 100, 70, "From the middle to all across."),
    P("gain", "gain", "Output", "dB", -24, 24, 0, "Level of what resonates.", sign=True),
    P("mix", "mix", "Output", "%", 0, 100, 60, "How much of it resonates."),
)
# fmt: on

_GLIDE = 1.0 - math.exp(-TICK_S / 0.03)
_FADE = 1.0 - math.exp(-TICK_S / 0.02)
_HIGHEST_HZ = 18_000.0

MODE = np.dtype(
    [
        ("hz", np.float64), ("gain", np.float64),  # at the end of the last tick
        ("real", np.float64, (2,)), ("imag", np.float64, (2,)),
    ]
)  # fmt: skip


@borrowing
def _radius_of(s, hz, lowest):
    """How much of a resonance is left a frame later."""
    octaves = max(math.log2(hz / lowest), 0.0)
    seconds = 0.001 * s.decay * 2.0 ** (-0.01 * s.damping * octaves)
    return math.exp(-6.9078 / (max(seconds, 0.005) * RATE))


@borrowing
def _level_of(s, hz, lowest, radius, count):
    """Gain into a resonance: what rings long is fed less, but not so that it is lost."""
    octaves = max(math.log2(hz / lowest), 0.0)
    level = 10.0 ** ((s.brightness * octaves + s.gain) / 20.0)
    return 2.0 * level * (1.0 - radius) ** 0.75 / math.sqrt(count)


@borrowing
def _ring(x, wet, mode, base, to_hz, to_gain, radius, place):
    """A tick of one resonance of both channels, added to ``wet``."""
    hz, gain = mode.hz, mode.gain
    gain_step = (to_gain - gain) / TICK
    angle = 2.0 * math.pi * 0.5 * (hz + to_hz) / RATE
    turn_real, turn_imag = radius * math.cos(angle), radius * math.sin(angle)
    for c in range(2):
        real, imag, level = mode.real[c], mode.imag[c], gain
        side = math.sqrt(1.0 + (2 * c - 1) * place)
        for i in range(TICK):
            level += gain_step
            fresh = turn_real * real - turn_imag * imag + x[base + 2 * i + c]
            imag = turn_real * imag + turn_imag * real
            real = fresh
            wet[2 * i + c] += np.float32(level * side * real)
        mode.real[c] = real if abs(real) > 1e-12 else 0.0
        mode.imag[c] = imag if abs(imag) > 1e-12 else 0.0
    mode.hz, mode.gain = to_hz, to_gain


@borrowing
def _resonate(x, before, values, wanted, memory):
    modes, wet = memory
    loudest = np.float32(0.0)
    for tick in range(len(values)):
        s = values[tick]
        last = before[0] if tick == 0 else values[tick - 1]
        base, count = 2 * tick * TICK, np.int64(s.modes)
        wet[:] = np.float32(0.0)
        lowest = wanted[0]
        for k in range(MODES):
            mode, hz = modes[k], wanted[k]
            heard = k < count and 10.0 < hz < _HIGHEST_HZ
            if not heard and mode.gain == 0.0:
                continue
            if mode.gain == 0.0:
                mode.hz, mode.real[:], mode.imag[:] = hz, 0.0, 0.0
            to_hz = mode.hz
            if heard:
                to_hz += _GLIDE * (hz - mode.hz)
            radius = _radius_of(s, to_hz, lowest)
            aim = _level_of(s, to_hz, lowest, radius, count) if heard else 0.0
            gain = mode.gain + _FADE * (aim - mode.gain)
            if not heard and gain < 1e-9:
                gain = 0.0
            place = 0.01 * s.spread * (2.0 * ((0.618034 * k) % 1.0) - 1.0) if k else 0.0
            _ring(x, wet, mode, base, to_hz, gain, radius, place)
        for i in range(2 * TICK):
            loudest = max(loudest, abs(wet[i]))
            share = (i // 2 + 1.0) / TICK
            mix = np.float32(0.01 * (last.mix + share * (s.mix - last.mix)))
            x[base + i] += mix * (wet[i] - x[base + i])
    return loudest


class Resonator(CompiledEffect):
    """Complex numbers that turn and shrink, fed by the stream."""

    def __init__(self, made: NDArray[np.float64] | None) -> None:
        super().__init__(
            _resonate, (np.zeros(MODES, MODE), np.zeros(2 * TICK, np.float32)), holds_s=0.1
        )
        self._partials = np.zeros(0) if made is None else made
        self._keys: tuple[float, ...] = ()

    def _work(
        self, audio: NDArray[np.float32], before: NDArray[Any], values: NDArray[Any], ticks: Ticks
    ) -> float:
        self._keys = ticks.keys or self._keys
        wanted = self._wanted(values[-1])
        return float(_resonate(audio, before, values, wanted, self._memory))

    def _wanted(self, s: Any) -> NDArray[np.float64]:
        """Frequencies of all resonances in Hz, rising; 0 where there is none."""
        hz = np.zeros(MODES)
        found = self._tuned(_TUNED[int(s["tuned"])], float(s["root"]), int(s["steps"]))[:MODES]
        if len(found):
            wide = 1.0 + 0.01 * float(s["stretch"])
            lowest = found[0]
            hz[: len(found)] = lowest * (found / lowest) ** wide * 2.0 ** (float(s["shift"]) / 12.0)
        return hz

    def _tuned(self, to: str, root: float, steps: int) -> NDArray[np.float64]:
        if to == "a sound":
            return self._partials
        if to == "harmonics":
            return note_to_hz(root) * np.arange(1.0, MODES + 1)
        of = list(LATTICE[_STEPS[steps]]) if to == "a scale" else []
        first = [root + step for step in of] if of else list(self._keys)
        notes = sorted({note + 12.0 * octave for note in first for octave in range(9)})
        return np.array([note_to_hz(note) for note in notes])

    def tail_s(self) -> float:
        """A good while; whether it has died away is seen when it has."""
        return 6.0


def _prepare(effect: Any, materials: Materials) -> NDArray[np.float64] | None:
    if effect.sound is None:
        return None
    return materials.get(PartialsRequest(Stretch.of(effect.sound), MODES))


KIND = EffectKind(
    "resonator",
    "Resonator",
    RESONATOR,
    Resonator,
    "Rings where it is tuned to: a scale, the keys that are down, or another sound's partials.",
    "Space",
    prepare=_prepare,
    sound="one",
)
