"""Sums of whole ticks, as vectors.

Compilers do not make vectors of these by themselves. They are LLVM's, so every processor can run
them.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from llvmlite import ir
from numba.core import types
from numba.extending import intrinsic

from innerbloom.core.dsp.cosine import FIT
from innerbloom.core.dsp.rates import TICK

LANES = 8
"""Frames in a vector."""

MOST_BENT = 3e-7
"""Bend in cycles a frame squared up to which a tick is right within 2e-6: 1,400 Hz a second."""

_FAST = ("fast",)
_INDEX = ir.IntType(32)
_VECTOR = ir.VectorType(ir.FloatType(), LANES)
_UNSET = ir.Constant(_VECTOR, ir.Undefined)
_FRAMES = np.arange(1, TICK + 1).reshape(-1, LANES).astype(np.float64)
_BEND = 2.0 * math.pi * (_FRAMES**2 - TICK * _FRAMES)


def _constant(values: Any) -> Any:
    return ir.Constant(_VECTOR, [float(np.float32(one)) for one in np.broadcast_to(values, LANES)])


class _Vectors:
    """Sums and products of vectors, written to a builder."""

    def __init__(self, builder: Any) -> None:
        self.builder = builder

    def times(self, one: Any, other: Any) -> Any:
        return self.builder.fmul(one, other, flags=_FAST)

    def plus(self, one: Any, other: Any) -> Any:
        return self.builder.fadd(one, other, flags=_FAST)

    def minus(self, one: Any, other: Any) -> Any:
        return self.builder.fsub(one, other, flags=_FAST)

    def spread(self, scalar: Any) -> Any:
        """One number in all lanes."""
        first = self.builder.insert_element(_UNSET, scalar, ir.Constant(_INDEX, 0))
        nowhere = ir.Constant(ir.VectorType(_INDEX, LANES), [0] * LANES)
        return self.builder.shuffle_vector(first, _UNSET, nowhere)

    def call(self, name: str, vector: Any) -> Any:
        """One of LLVM's functions of a vector."""
        kind = ir.FunctionType(_VECTOR, [_VECTOR])
        declared = self.builder.module.declare_intrinsic(f"{name}.v{LANES}f32", (), kind)
        return self.builder.call(declared, [vector])

    def place(self, data: Any, at: Any) -> Any:
        """Where a vector begins."""
        return self.builder.bitcast(self.builder.gep(data, [at]), _VECTOR.as_pointer())

    def ramp(self, number: int, gain: Any) -> Any:
        """A vector of a tick of a gain of (level before the tick, change a frame)."""
        level, slope = gain
        return self.plus(level, self.times(slope, _constant(_FRAMES[number])))

    def add_to(self, data: Any, number: int, value: Any) -> None:
        """Add to a vector of a tick."""
        place = self.place(data, ir.Constant(_INDEX, number * LANES))
        old = self.builder.load(place, align=4)
        self.builder.store(self.plus(old, value), place, align=4)

    def add_ramped(self, data: Any, number: int, value: Any, gain: Any) -> None:
        """Add a vector of a tick at a gain that moves."""
        self.add_to(data, number, self.times(self.ramp(number, gain), value))

    def cosine(self, cycles: Any) -> Any:
        """The same as :func:`.cosine`."""
        nearest = self.call("llvm.floor", self.plus(cycles, _constant(0.5)))
        z = self.minus(_constant(0.25), self.call("llvm.fabs", self.minus(cycles, nearest)))
        q, fit = self.times(z, z), _constant(FIT[-1])
        for factor in FIT[-2::-1]:
            fit = self.plus(_constant(factor), self.times(q, fit))
        return self.times(z, fit)


def elements(context: Any, builder: Any, signature: Any, args: Any, number: int) -> Any:
    """Where the elements of an argument lie."""
    return context.make_array(signature.args[number])(context, builder, args[number]).data


@intrinsic
def add_ramp(typing: Any, out: Any, audio: Any, at: Any, level: Any) -> Any:
    """``add_ramp(out, audio, at, level)``: add a tick of a sound at a gain that moves.

    Parameters
    ----------
    out : float32 array, shape (TICK,)
    audio : float32 array
    at : int
        First frame of ``audio``.
    level : float32 tuple
        Gain before the first frame, and change a frame.
    """

    def write(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        v = _Vectors(builder)
        to, source = (elements(context, builder, signature, args, i) for i in range(2))
        gain = [v.spread(builder.extract_value(args[3], i)) for i in range(2)]
        for i in range(len(_FRAMES)):
            first = builder.add(args[2], ir.Constant(args[2].type, i * LANES))
            v.add_ramped(to, i, builder.load(v.place(source, first), align=4), gain)
        return context.get_dummy_value()

    return types.void(out, audio, at, level), write


@intrinsic
def add_partial(typing: Any, left: Any, right: Any, turn: Any, levels: Any) -> Any:
    """``add_partial(left, right, turn, levels)``: add a tick of one partial to two channels.

    The phase of a partial bends through a tick by little. What the bend adds to a steady turn is
    so small that its cosine is 1 and its sine the angle itself, so that the tick is
    ``c - s * bend``, where ``c`` and ``s`` turn steadily: a rotation from vector to vector.

    Parameters
    ----------
    left, right : float32 arrays, shape (TICK,)
    turn : float32 tuple
        Phase in cycles before the first frame; mean pace in cycles a frame; bend in cycles a
        frame squared, at most MOST_BENT; cosine and sine of LANES frames at the mean pace.
    levels : float32 tuple
        Level before the first frame and change a frame, to the left and to the right.
    """

    def write(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        v = _Vectors(builder)
        channels = [elements(context, builder, signature, args, i) for i in range(2)]
        bend, cosines, sines = _turned(v, args[2])
        gains = [v.spread(builder.extract_value(args[3], i)) for i in range(4)]
        for i in range(len(_FRAMES)):
            bent = v.times(bend, _constant(_BEND[i]))
            value = v.minus(cosines[i], v.times(sines[i], bent))
            for channel in range(2):
                v.add_ramped(channels[channel], i, value, gains[2 * channel : 2 * channel + 2])
        return context.get_dummy_value()

    return types.void(left, right, turn, levels), write


@intrinsic
def add_wide_partial(typing: Any, left: Any, right: Any, turn: Any, levels: Any) -> Any:
    """``add_wide_partial(left, right, turn, levels)``: the same with a sine, unlike on both sides.

    Parameters
    ----------
    left, right : float32 arrays, shape (TICK,)
    turn : float32 tuple
        As in :func:`add_partial`.
    levels : float32 tuple
        Level before the first frame and change a frame: of the cosine to the left and to the
        right, and of the sine, which is added to the left and taken from the right.
    """

    def write(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        v = _Vectors(builder)
        channels = [elements(context, builder, signature, args, i) for i in range(2)]
        bend, cosines, sines = _turned(v, args[2])
        gains = [v.spread(builder.extract_value(args[3], i)) for i in range(6)]
        for i in range(len(_FRAMES)):
            bent = v.times(bend, _constant(_BEND[i]))
            cosine = v.minus(cosines[i], v.times(sines[i], bent))
            sine = v.plus(sines[i], v.times(cosines[i], bent))
            side = v.times(v.ramp(i, gains[4:]), sine)
            for channel, add in ((0, v.plus), (1, v.minus)):
                value = v.times(v.ramp(i, gains[2 * channel : 2 * channel + 2]), cosine)
                v.add_to(channels[channel], i, add(value, side))
        return context.get_dummy_value()

    return types.void(left, right, turn, levels), write


def _turned(v: _Vectors, turn: Any) -> tuple[Any, list[Any], list[Any]]:
    """The bend of a partial's turn, and cosines and sines of it without."""
    start, pace, bend, far_c, far_s = (v.spread(v.builder.extract_value(turn, i)) for i in range(5))
    phases = v.plus(start, v.times(_constant(_FRAMES[0]), pace))
    return bend, *_turning(v, phases, far_c, far_s)


def _turning(v: _Vectors, phases: Any, far_c: Any, far_s: Any) -> tuple[list[Any], list[Any]]:
    """Cosines and sines of a steady turn, vector by vector."""
    c, s = v.cosine(phases), v.cosine(v.minus(phases, _constant(0.25)))
    cosines, sines = [c], [s]
    while len(cosines) < len(_FRAMES):
        c, s = cosines[-1], sines[-1]
        cosines.append(v.minus(v.times(c, far_c), v.times(s, far_s)))
        sines.append(v.plus(v.times(s, far_c), v.times(c, far_s)))
    return cosines, sines
