"""Sums of a few neighbouring samples, each by its weight, in one go.

A spline reads four samples that lie side by side. As vectors, the samples of a frame are one
load and its weights another, which takes half the time of adding them one by one; compilers
do not find this by themselves. The vectors are LLVM's, so every processor can run them.
"""

from __future__ import annotations

from typing import Any

from llvmlite import ir
from numba.core import types
from numba.extending import intrinsic

_FLOAT = ir.FloatType()
_INDEX = ir.IntType(32)


def _place(context: Any, builder: Any, kind: Any, array: Any, at: Any, width: int) -> Any:
    """Pointer to ``width`` elements of an array, as one vector."""
    data = context.make_array(kind)(context, builder, array).data
    vector = ir.VectorType(_FLOAT, width)
    return builder.bitcast(builder.gep(data, [at]), vector.as_pointer())


def _load(context: Any, builder: Any, kind: Any, array: Any, at: Any, width: int) -> Any:
    return builder.load(_place(context, builder, kind, array, at, width), align=4)


def _pick(builder: Any, vector: Any, lanes: tuple[int, ...]) -> Any:
    order = ir.Constant(ir.VectorType(_INDEX, len(lanes)), list(lanes))
    return builder.shuffle_vector(vector, ir.Constant(vector.type, ir.Undefined), order)


def _halves(builder: Any, vector: Any, width: int) -> Any:
    """The lower half of the lanes plus the upper one."""
    half = width // 2
    low = _pick(builder, vector, tuple(range(half)))
    high = _pick(builder, vector, tuple(range(half, width)))
    return builder.fadd(low, high)


def _lane(builder: Any, vector: Any, lane: int) -> Any:
    return builder.extract_element(vector, ir.Constant(_INDEX, lane))


@intrinsic
def weighed(typing_context: Any, audio: Any, j: Any, weights: Any, i: Any) -> Any:
    """Sum of ``audio[j : j + 4] * weights[i : i + 4]``, both flat float32 arrays."""

    def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        a, at, w, start = arguments
        samples = _load(context, builder, signature.args[0], a, at, 4)
        shares = _load(context, builder, signature.args[2], w, start, 4)
        pairs = _halves(builder, builder.fmul(samples, shares), 4)
        return builder.fadd(_lane(builder, pairs, 0), _lane(builder, pairs, 1))

    return types.float32(audio, j, weights, i), generate


@intrinsic
def weighed_between(
    typing_context: Any, audio: Any, j: Any, k: Any, share: Any, weights: Any, i: Any
) -> Any:
    """The same between two places: ``share`` of the way from what lies at ``j`` to ``k``."""

    def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        a, near_at, far_at, s, w, start = arguments
        near = _load(context, builder, signature.args[0], a, near_at, 4)
        far = _load(context, builder, signature.args[0], a, far_at, 4)
        shares = _load(context, builder, signature.args[4], w, start, 4)
        lanes = ir.Constant(near.type, ir.Undefined)
        for lane in range(4):
            lanes = builder.insert_element(lanes, s, ir.Constant(_INDEX, lane))
        mixed = builder.fadd(near, builder.fmul(lanes, builder.fsub(far, near)))
        pairs = _halves(builder, builder.fmul(mixed, shares), 4)
        return builder.fadd(_lane(builder, pairs, 0), _lane(builder, pairs, 1))

    return types.float32(audio, j, k, share, weights, i), generate


@intrinsic
def add_weighed_pair(
    typing_context: Any,
    out: Any,
    k: Any,
    gains: Any,
    audio: Any,
    j: Any,
    weights: Any,
    i: Any,
) -> Any:
    """The same of four stereo frames from ``audio[j]`` on, added to a frame of ``out``.

    ``out[k] += gains[0] * sum of left`` and ``out[k + 1] += gains[1] * sum of right``.
    """

    def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        o, at_out, both, a, at, w, start = arguments
        kinds = signature.args
        samples = _load(context, builder, kinds[3], a, at, 8)
        shares = _load(context, builder, kinds[5], w, start, 4)
        doubled = _pick(builder, shares, (0, 0, 1, 1, 2, 2, 3, 3))
        four = _halves(builder, builder.fmul(samples, doubled), 8)
        two = _halves(builder, four, 4)
        levels = ir.Constant(two.type, ir.Undefined)
        for lane in range(2):
            gain = builder.extract_value(both, lane)
            levels = builder.insert_element(levels, gain, ir.Constant(_INDEX, lane))
        place = _place(context, builder, kinds[0], o, at_out, 2)
        sums = builder.fadd(builder.load(place, align=4), builder.fmul(two, levels))
        builder.store(sums, place, align=4)
        return context.get_dummy_value()

    return types.void(out, k, gains, audio, j, weights, i), generate
