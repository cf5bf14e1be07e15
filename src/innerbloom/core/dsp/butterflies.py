"""Butterflies of a Fourier transform, several at a time as vectors.

Compilers do not make vectors of these by themselves: so many arrays might overlap. See
:mod:`innerbloom.core.dsp.fft` for what they are part of.
"""

from __future__ import annotations

from typing import Any, NamedTuple

from llvmlite import ir
from numba.core import types
from numba.extending import intrinsic

from innerbloom.core.dsp.vectors import elements

_FAST = ("fast",)
_INDEX = ir.IntType(64)


class _Complex(NamedTuple):
    """Real and imaginary parts of several numbers, as vectors."""

    x: Any
    y: Any


class _Arithmetic:
    """Complex vectors of so many lanes, written to a builder."""

    def __init__(self, builder: Any, lanes: int) -> None:
        self.builder, self.lanes = builder, lanes
        self.vector = ir.VectorType(ir.FloatType(), lanes)

    def plus(self, one: _Complex, other: _Complex) -> _Complex:
        pairs = zip(one, other, strict=True)
        return _Complex(*(self.builder.fadd(a, b, flags=_FAST) for a, b in pairs))

    def minus(self, one: _Complex, other: _Complex) -> _Complex:
        pairs = zip(one, other, strict=True)
        return _Complex(*(self.builder.fsub(a, b, flags=_FAST) for a, b in pairs))

    def times(self, one: _Complex, other: _Complex) -> _Complex:
        b = self.builder
        x = b.fsub(
            b.fmul(one.x, other.x, flags=_FAST), b.fmul(one.y, other.y, flags=_FAST), flags=_FAST
        )
        y = b.fadd(
            b.fmul(one.x, other.y, flags=_FAST), b.fmul(one.y, other.x, flags=_FAST), flags=_FAST
        )
        return _Complex(x, y)

    def quarter_turn(self, one: _Complex) -> _Complex:
        return _Complex(self.builder.fneg(one.y, flags=_FAST), one.x)

    def spread(self, scalar: Any) -> Any:
        """One number in all lanes."""
        unset = ir.Constant(self.vector, ir.Undefined)
        first = self.builder.insert_element(unset, scalar, ir.Constant(ir.IntType(32), 0))
        nowhere = ir.Constant(ir.VectorType(ir.IntType(32), self.lanes), [0] * self.lanes)
        return self.builder.shuffle_vector(first, unset, nowhere)

    def load(self, data: _Complex, at: Any) -> _Complex:
        return _Complex(*(self.load_part(part, at) for part in data))

    def load_part(self, data: Any, at: Any) -> Any:
        place = self.builder.bitcast(self.builder.gep(data, [at]), self.vector.as_pointer())
        return self.builder.load(place, align=4)

    def store(self, data: _Complex, at: Any, values: _Complex) -> None:
        for part, value in zip(data, values, strict=True):
            place = self.builder.gep(part, [at])
            self.builder.store(value, self.builder.bitcast(place, value.type.as_pointer()), align=4)

    def interleaved(self, four: list[Any]) -> Any:
        """Four vectors as one: the first of each, then the second of each, and so on."""
        n, kind = self.lanes, ir.IntType(32)
        halves = ir.Constant(ir.VectorType(kind, 2 * n), list(range(2 * n)))
        low, high = (self.builder.shuffle_vector(four[k], four[k + 1], halves) for k in (0, 2))
        order = [k * n + lane for lane in range(n) for k in range(4)]
        return self.builder.shuffle_vector(
            low, high, ir.Constant(ir.VectorType(kind, 4 * n), order)
        )

    def butterfly(self, inputs: list[_Complex], turns: list[_Complex]) -> list[_Complex]:
        """Four outputs of four inputs; all but the first are turned."""
        a, b, c, d = inputs
        even, odd, more, turned = (
            self.plus(a, c),
            self.minus(a, c),
            self.plus(b, d),
            self.quarter_turn(self.minus(b, d)),
        )
        fresh = (self.minus(odd, turned), self.minus(even, more), self.plus(odd, turned))
        return [
            self.plus(even, more),
            *(self.times(one, turn) for one, turn in zip(fresh, turns, strict=True)),
        ]


def _along(builder: Any, at: Any, by: Any, times: int) -> Any:
    return builder.add(at, builder.mul(by, ir.Constant(_INDEX, times)))


def _arrays(context: Any, builder: Any, signature: Any, args: Any) -> tuple[_Complex, _Complex]:
    """Where the inputs and the outputs lie."""
    found = [elements(context, builder, signature, args, number) for number in range(4)]
    return _Complex(*found[:2]), _Complex(*found[2:])


@intrinsic
def radix4_first(
    typing: Any, x: Any, y: Any, to_x: Any, to_y: Any, table: Any, at: Any, reach: Any
) -> Any:
    """``radix4_first(x, y, to_x, to_y, table, at, reach)``: four butterflies of the first pass.

    Parameters
    ----------
    x, y, to_x, to_y : float32 arrays
        Real and imaginary parts of inputs and outputs.
    table : float32 array, shape (6, reach)
        Cosines and sines of the second, third and fourth output.
    at : int
        The first butterfly; its outputs are neighbours.
    reach : int
        How far apart inputs of a butterfly lie.
    """

    def write(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        v = _Arithmetic(builder, 4)
        source, result = _arrays(context, builder, signature, args)
        at, reach = args[5], args[6]
        rows = elements(context, builder, signature, args, 4)
        inputs = [v.load(source, _along(builder, at, reach, k)) for k in range(4)]
        turns = [
            _Complex(
                *(v.load_part(rows, _along(builder, at, reach, 2 * k + part)) for part in range(2))
            )
            for k in range(3)
        ]
        made = v.butterfly(inputs, turns)
        whole = _Complex(*(v.interleaved([one[part] for one in made]) for part in range(2)))
        v.store(result, _along(builder, ir.Constant(_INDEX, 0), at, 4), whole)
        return context.get_dummy_value()

    return types.void(x, y, to_x, to_y, table, at, reach), write


def _later(lanes: int) -> Any:
    @intrinsic
    def later(typing: Any, x: Any, y: Any, to_x: Any, to_y: Any, places: Any, turns: Any) -> Any:
        """``later(x, y, to_x, to_y, places, turns)``: butterflies of a later pass, all turned alike.

        Parameters
        ----------
        x, y, to_x, to_y : float32 arrays
            Real and imaginary parts of inputs and outputs.
        places : tuple of int
            First input, how far apart inputs of a butterfly lie, first output, how far apart
            outputs lie.
        turns : tuple of float32
            Cosine and sine of the second, third and fourth output.
        """

        def write(context: Any, builder: Any, signature: Any, args: Any) -> Any:
            v = _Arithmetic(builder, lanes)
            source, result = _arrays(context, builder, signature, args)
            at, reach, to, stride = (builder.extract_value(args[4], k) for k in range(4))
            spread = [v.spread(builder.extract_value(args[5], k)) for k in range(6)]
            inputs = [v.load(source, _along(builder, at, reach, k)) for k in range(4)]
            turned = [_Complex(spread[k], spread[k + 1]) for k in (0, 2, 4)]
            for k, one in enumerate(v.butterfly(inputs, turned)):
                v.store(result, _along(builder, to, stride, k), one)
            return context.get_dummy_value()

        return types.void(x, y, to_x, to_y, places, turns), write

    return later


radix4_by_4, radix4_by_8 = _later(4), _later(8)
