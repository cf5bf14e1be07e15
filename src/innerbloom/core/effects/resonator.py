"""Resonator: up to 24 tuned resonances, of a scale, of the keys that are down, or of a sound.

References
----------
.. [1] M. V. Mathews and J. O. Smith, "Methods for synthesizing very high Q parametrically well
   behaved two pole filters", SMAC 2003: a rotating complex number as a resonance, which stays
   stable while it is tuned.
"""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Choice, Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.rates import RATE, TICK, TICK_S
from innerbloom.core.effects.compiled import CompiledEffect, number_of
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

_FIRST_TUNING, _LAST_TUNING = number_of(RESONATOR, "tuned"), number_of(RESONATOR, "stretch")
_GLIDE = 1.0 - math.exp(-TICK_S / 0.03)
_FADE = 1.0 - math.exp(-TICK_S / 0.02)
_HIGHEST_HZ = 18_000.0
_REACHED = 1e-6
"""Share by which what is on its way may be off when it has arrived."""

_LN_2, _LN_10 = math.log(2.0), math.log(10.0)

MODE = np.dtype([(name, np.float64) for name in ("hz", "gain", "radius", "aim")])
"""What a resonance is at the end of a tick, and the gain that it is on its way to."""


class Modes(NamedTuple):
    """What a resonator remembers, and room for a tick of it.

    modes : MODE array, shape (MODES,)
    states : float64 array, shape (2, 2, MODES)
        The complex number of each, by channel: real parts, then imaginary ones.
    turns : float64 array, shape (2, MODES)
        By what they are multiplied at every frame: real parts, then imaginary ones.
    gains : float64 array, shape (2, 2, MODES)
        How loud each is, by channel: before a tick, and how much more from frame to frame.
    wet : float32 array, shape (2 * TICK,)
    """

    modes: NDArray[Any]
    states: NDArray[np.float64]
    turns: NDArray[np.float64]
    gains: NDArray[np.float64]
    wet: NDArray[np.float32]


@borrowing
def _aim(mode, s, hz, lowest):
    """What a resonance at ``hz`` is to be: how much of it is left a frame later, and its gain.

    What rings long is fed less, but not so that it is lost.
    """
    octaves = max(math.log2(hz / lowest), 0.0)
    seconds = 0.001 * s.decay * math.exp(-_LN_2 * 0.01 * s.damping * octaves)
    mode.radius = math.exp(-6.9078 / (max(seconds, 0.005) * RATE))
    root = math.sqrt(1.0 - mode.radius)
    level = math.exp(_LN_10 / 20.0 * (s.brightness * octaves + s.gain))
    mode.aim = 2.0 * level * root * math.sqrt(root) / math.sqrt(s.modes)


@borrowing
def _towards(value, aim, share):
    """A step towards an aim, which is reached in the end."""
    moved = value + share * (aim - value)
    return aim if abs(aim - moved) <= _REACHED * abs(aim) else moved


@borrowing
def _tune(s, same, k, hz, lowest, memory):
    """Bring one resonance on its way by a tick; whether it sounds.

    Nothing is reckoned again for one that has arrived, where settings are the ``same`` as a tick ago.
    """
    mode, states, turns, gains = memory.modes[k], memory.states, memory.turns, memory.gains
    heard = k < np.int64(s.modes) and 10.0 < hz < _HIGHEST_HZ
    if mode.gain == 0.0:
        mode.hz, states[:, :, k], turns[:, k], gains[:, :, k] = hz, 0.0, 0.0, 0.0
        if not heard:
            return False
    elif heard and same and hz == mode.hz and mode.gain == mode.aim:
        for c in range(2):
            gains[c, 0, k] += TICK * gains[c, 1, k]
            gains[c, 1, k] = 0.0
        return True
    to_hz = _towards(mode.hz, hz, _GLIDE) if heard else mode.hz
    _aim(mode, s, to_hz, lowest)
    if not heard:
        mode.aim = 0.0
    to_gain = _towards(mode.gain, mode.aim, _FADE)
    if not heard and to_gain < 1e-9:
        to_gain = 0.0
    angle = math.pi * (mode.hz + to_hz) / RATE
    turns[0, k], turns[1, k] = mode.radius * math.cos(angle), mode.radius * math.sin(angle)
    place = 0.01 * s.spread * (2.0 * ((0.618034 * k) % 1.0) - 1.0) if k else 0.0
    for c in range(2):
        side = math.sqrt(1.0 + (2 * c - 1) * place)
        gains[c, 0, k], gains[c, 1, k] = side * mode.gain, side * (to_gain - mode.gain) / TICK
    mode.hz, mode.gain = to_hz, to_gain
    return True


@borrowing
def _sets_the_same(s, last):
    """Whether resonances last, and are as loud and as far apart, as a tick ago."""
    return (
        s.decay == last.decay
        and s.damping == last.damping
        and s.brightness == last.brightness
        and s.gain == last.gain
        and s.spread == last.spread
        and s.modes == last.modes
    )


@borrowing
def _ring(x, wet, used, turns, states, gains):
    """A tick of the first resonances of one channel, all at once; every other sample is its own."""
    real, imag, turn_real, turn_imag = states[0], states[1], turns[0], turns[1]
    gain, step = gains[0], gains[1]
    for i in range(TICK):
        fed, total, after = np.float64(x[2 * i]), 0.0, np.float64(i + 1)
        for k in range(used):
            a, b = real[k], imag[k]
            fresh = turn_real[k] * a - turn_imag[k] * b + fed
            imag[k] = turn_real[k] * b + turn_imag[k] * a
            real[k] = fresh
            total += (gain[k] + step[k] * after) * fresh
        wet[2 * i] = np.float32(total)
    for k in range(used):
        # no denormals once the sound has gone
        if abs(real[k]) < 1e-12 and abs(imag[k]) < 1e-12:
            real[k] = imag[k] = 0.0


@borrowing
def _resonate(x, before, values, wanted, memory):
    wet, loudest = memory.wet, np.float32(0.0)
    for tick in range(len(values)):
        s = values[tick]
        last = before[0] if tick == 0 else values[tick - 1]
        base, used = 2 * tick * TICK, 0
        same = _sets_the_same(s, last)
        for k in range(MODES):
            if _tune(s, same, k, wanted[k], wanted[0], memory):
                used = k + 1
        for c in range(2):
            _ring(x[base + c :], wet[c:], used, memory.turns, memory.states[c], memory.gains[c])
        for i in range(2 * TICK):
            loudest = max(loudest, abs(wet[i]))
            share = (i // 2 + 1.0) / TICK
            mix = np.float32(0.01 * (last.mix + share * (s.mix - last.mix)))
            x[base + i] += mix * (wet[i] - x[base + i])
    return loudest


class Resonator(CompiledEffect):
    """Complex numbers that turn and shrink, fed by the stream."""

    def __init__(self, made: NDArray[np.float64] | None) -> None:
        memory = Modes(
            np.zeros(MODES, MODE),
            np.zeros((2, 2, MODES)),
            np.zeros((2, MODES)),
            np.zeros((2, 2, MODES)),
            np.zeros(2 * TICK, np.float32),
        )
        super().__init__(_resonate, memory, holds_s=0.1)
        self._partials = np.zeros(0) if made is None else made
        self._keys: tuple[float, ...] = ()
        self._wanted = np.zeros(MODES)
        self._wanted_of: tuple[Any, ...] | None = None

    def _work(
        self, audio: NDArray[np.float32], before: NDArray[Any], values: NDArray[Any], ticks: Ticks
    ) -> float:
        self._keys = ticks.keys or self._keys
        of = (values[-1].item()[_FIRST_TUNING : _LAST_TUNING + 1], self._keys)
        if of != self._wanted_of:
            self._wanted, self._wanted_of = self._frequencies(values[-1]), of
        return float(_resonate(audio, before, values, self._wanted, self._memory))

    def _frequencies(self, s: Any) -> NDArray[np.float64]:
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
