"""Sums of whole ticks, as vectors.

Compilers do not make vectors of these by themselves. They are LLVM's, so every processor can run
them.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from functools import reduce
from typing import Any

import llvmlite.binding as llvm
import numpy as np
from llvmlite import ir
from numba.core import types
from numba.extending import intrinsic

from innerbloom.core.dsp.cosine import FIT
from innerbloom.core.dsp.rates import TICK

LANES = 16 if llvm.get_host_cpu_features().get("avx512f", False) else 8
"""Frames in a vector: as many as a register of this processor holds."""

ABREAST = 5
"""Sounds that are added up at once."""

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

    def integers(self, data: Any, at: Any) -> Any:
        """Integers of 16 bits as numbers."""
        kind = ir.VectorType(ir.IntType(16), LANES)
        place = self.builder.bitcast(self.builder.gep(data, [at]), kind.as_pointer())
        return self.builder.sitofp(self.builder.load(place, align=2), _VECTOR)

    def gain(self, before: Any, after: Any, number: int) -> tuple[Any, Any]:
        """Level before a tick and change a frame, in all lanes, from arrays of gains."""
        at = ir.Constant(_INDEX, number)
        old, new = (self.builder.load(self.builder.gep(one, [at])) for one in (before, after))
        slope = self.builder.fmul(
            self.builder.fsub(new, old, flags=_FAST), ir.Constant(ir.FloatType(), 1.0 / TICK)
        )
        return self.spread(old), self.spread(slope)

    def ramp(self, number: int, level: Any, slope: Any) -> Any:
        """A vector of a tick of a gain: its level before the tick, and its change a frame."""
        return self.plus(level, self.times(slope, _constant(_FRAMES[number])))

    def add_to(self, data: Any, number: int, value: Any) -> None:
        """Add to a vector of a tick."""
        place = self.place(data, ir.Constant(_INDEX, number * LANES))
        old = self.builder.load(place, align=4)
        self.builder.store(self.plus(old, value), place, align=4)

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
def add_ramps(typing: Any, out: Any, audio: Any, at: Any, before: Any, after: Any) -> Any:
    """``add_ramps(out, audio, at, before, after)``: add a tick of ABREAST sounds, gains moving.

    Parameters
    ----------
    out : float32 array, shape (TICK,)
    audio : int16 array
    at : int
        First frame of the first sound in ``audio``; each next lies TICK frames on.
    before, after : float32 arrays, shape (ABREAST,)
        Gains before the first frame and at the last.
    """

    def write(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        v = _Vectors(builder)
        to, source, old, new = (
            elements(context, builder, signature, args, i) for i in (0, 1, 3, 4)
        )
        gains = [v.gain(old, new, k) for k in range(ABREAST)]
        for i in range(len(_FRAMES)):
            places = [_moved_on(builder, args[2], k * TICK + i * LANES) for k in range(ABREAST)]
            pieces = [v.integers(source, place) for place in places]
            products = [v.times(v.ramp(i, *g), one) for g, one in zip(gains, pieces, strict=True)]
            v.add_to(to, i, reduce(v.plus, products))
        return context.get_dummy_value()

    return types.void(out, audio, at, before, after), write


def _moved_on(builder: Any, at: Any, more: int) -> Any:
    """A place so many elements on."""
    return builder.add(at, ir.Constant(at.type, more))


@intrinsic
def add_partials(typing: Any, left: Any, right: Any, partials: Any) -> Any:
    """``add_partials(left, right, partials)``: add a tick of some partials to two channels.

    The phase of a partial bends through a tick by little. What the bend adds to a steady turn is
    so small that its cosine is 1 and its sine the angle itself, so that the tick is
    ``c - s * bend``, where ``c`` and ``s`` turn steadily: a rotation from vector to vector. Each
    waits for the last, so that two partials take little longer than one.

    Parameters
    ----------
    left, right : float32 arrays, shape (TICK,)
    partials : tuple of (turn, levels), both of them tuples of float32
        Turn: phase in cycles before the first frame; mean pace in cycles a frame; bend in cycles
        a frame squared, at most MOST_BENT; cosine and sine of LANES frames at the mean pace.
        Levels: before the first frame and change a frame, to the left and to the right.
    """
    return types.void(left, right, partials), _adding(_plain)


@intrinsic
def add_wide_partials(typing: Any, left: Any, right: Any, partials: Any) -> Any:
    """``add_wide_partials(left, right, partials)``: the same with sines, unlike on both sides.

    Parameters
    ----------
    left, right : float32 arrays, shape (TICK,)
    partials : tuple of (turn, levels), both of them tuples of float32
        Turn as in :func:`add_partials`. Levels: before the first frame and change a frame, of the
        cosine to the left and to the right, and of the sine, which is added to the left and taken
        from the right.
    """
    return types.void(left, right, partials), _adding(_wide)


_Sides = Iterator[tuple[Any, Any]]


def _adding(sides: Callable[[_Vectors, Any, Any], _Sides]) -> Callable[..., Any]:
    """What writes such a function, of what each partial adds to both channels vector by vector."""

    def write(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        v = _Vectors(builder)
        channels = [elements(context, builder, signature, args, i) for i in range(2)]
        pairs = [builder.extract_value(args[2], i) for i in range(len(signature.args[2]))]
        each = [sides(v, *(builder.extract_value(one, i) for i in range(2))) for one in pairs]
        # in turn, so that each may be waited for while the others go on
        for number, found in enumerate(zip(*each, strict=True)):
            for channel, values in zip(channels, zip(*found, strict=True), strict=True):
                v.add_to(channel, number, reduce(v.plus, values))
        return context.get_dummy_value()

    return write


def _plain(v: _Vectors, turn: Any, levels: Any) -> _Sides:
    bend = v.spread(v.builder.extract_value(turn, 2))
    gains = _spread_all(v, levels, 4)
    for i, (c, s) in enumerate(_turning(v, turn)):
        value = v.minus(c, v.times(s, v.times(bend, _constant(_BEND[i]))))
        yield v.times(v.ramp(i, *gains[:2]), value), v.times(v.ramp(i, *gains[2:]), value)


def _wide(v: _Vectors, turn: Any, levels: Any) -> _Sides:
    bend = v.spread(v.builder.extract_value(turn, 2))
    gains = _spread_all(v, levels, 6)
    for i, (c, s) in enumerate(_turning(v, turn)):
        bent = v.times(bend, _constant(_BEND[i]))
        cosine = v.minus(c, v.times(s, bent))
        side = v.times(v.ramp(i, *gains[4:]), v.plus(s, v.times(c, bent)))
        left, right = (v.times(v.ramp(i, *gains[k : k + 2]), cosine) for k in (0, 2))
        yield v.plus(left, side), v.minus(right, side)


def _spread_all(v: _Vectors, numbers: Any, count: int) -> list[Any]:
    return [v.spread(v.builder.extract_value(numbers, i)) for i in range(count)]


def _turning(v: _Vectors, turn: Any) -> Iterator[tuple[Any, Any]]:
    """Cosines and sines of a turn without its bend, vector by vector."""
    start, pace, _, far_c, far_s = _spread_all(v, turn, 5)
    phases = v.plus(start, v.times(_constant(_FRAMES[0]), pace))
    c, s = v.cosine(phases), v.cosine(v.minus(phases, _constant(0.25)))
    yield c, s
    for _ in range(1, len(_FRAMES)):
        turned = v.minus(v.times(c, far_c), v.times(s, far_s))
        c, s = turned, v.plus(v.times(s, far_c), v.times(c, far_s))
        yield c, s
