"""Stereo: width, balance of middle and sides, rotation, and one channel below a corner."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import Declared
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.dsp.crossover import section, tuned
from innerbloom.core.dsp.dynamics import gain_of_db
from innerbloom.core.dsp.rates import TICK
from innerbloom.core.effects.compiled import CompiledEffect, loudest_of
from innerbloom.core.effects.kind import EffectKind

# fmt: off
STEREO: tuple[Declared, ...] = (
    P("width", "width", "Stereo", "%", 0, 200, 100, "0 is one channel, 200 the sides alone."),
    P("rotate", "rotate", "Stereo", "°", -90, 90, 0,
      "Turns the whole image; 90 puts the middle on both sides, turned over.", sign=True),
    P("balance", "balance", "Stereo", "%", -100, 100, 0, "Fades the other side out.", sign=True),
    P("mono_below", "mono below", "Stereo", "Hz", 10, 500, 10,
      "Under it there is one channel; 10 is nowhere.", "log", marks=((10, "nowhere"),)),
    P("gain", "gain", "Output", "dB", -24, 24, 0, "Level after it.", sign=True),
)
# fmt: on

_NOWHERE = 10.01


@borrowing
def _matrix(s):
    """Gains of middle and sides, the cosine and sine of the rotation, gains of left and right."""
    wide, gain = 0.01 * s.width, gain_of_db(s.gain)
    middle, side = gain * min(1.0, 2.0 - wide), gain * min(1.0, wide)
    angle = s.rotate * math.pi / 180.0
    left = min(1.0, 1.0 - 0.01 * s.balance)
    right = min(1.0, 1.0 + 0.01 * s.balance)
    return middle, side, math.cos(angle), math.sin(angle), left, right


@borrowing
def _low_corner(hz):
    return 0.0 if hz <= _NOWHERE else tuned(hz)


@borrowing
def _stereo(x, before, values, memory):
    state = memory[0]
    for tick in range(len(values)):
        s = values[tick]
        last = before[0] if tick == 0 else values[tick - 1]
        a, b = _matrix(last), _matrix(s)
        corner, to_corner = _low_corner(last.mono_below), _low_corner(s.mono_below)
        for i in range(TICK):
            at, share = 2 * (tick * TICK + i), (i + 1.0) / TICK
            left, right = np.float64(x[at]), np.float64(x[at + 1])
            middle, side = 0.5 * (left + right), 0.5 * (left - right)
            g = corner + share * (to_corner - corner)
            if g > 0.0:
                _, side = section(side, g, state)
            middle *= a[0] + share * (b[0] - a[0])
            side *= a[1] + share * (b[1] - a[1])
            cos, sin = a[2] + share * (b[2] - a[2]), a[3] + share * (b[3] - a[3])
            left, right = middle + side, middle - side
            turned, other = cos * left - sin * right, sin * left + cos * right
            x[at] = np.float32(turned * (a[4] + share * (b[4] - a[4])))
            x[at + 1] = np.float32(other * (a[5] + share * (b[5] - a[5])))
    return loudest_of(x)


class Stereo(CompiledEffect):
    """A matrix, moved within each tick, and a high-pass on the sides."""

    def __init__(self, made: object) -> None:
        super().__init__(_stereo, (np.zeros(2),), holds_s=0.1)


KIND = EffectKind(
    "stereo",
    "Stereo",
    STEREO,
    Stereo,
    "Width, rotation, and one channel below a corner.",
    "Space",
    picture="none",
)
