"""Reading samples that lie somewhere in memory, by their address.

A layer may hold dozens of sounds of any length: a record with each one's address lets
one kernel read any of them without copying. Whoever runs the kernel keeps the arrays alive.
"""

from __future__ import annotations

from typing import Any

from llvmlite import ir
from numba.core import types
from numba.extending import intrinsic
from numba.np.arrayobj import populate_array

from innerbloom.core.compiling import borrowing


@intrinsic
def samples_at(typing_context: Any, address: Any, count: Any) -> Any:
    """The ``count`` float32 samples that begin at an address, as an array of shape (count,)."""
    kind = types.Array(types.float32, 1, "C")
    return kind(types.uint64, types.intp), _view_of(kind, 4)


@intrinsic
def integers_at(typing_context: Any, address: Any, count: Any) -> Any:
    """The same of int16 samples."""
    kind = types.Array(types.int16, 1, "C")
    return kind(types.uint64, types.intp), _view_of(kind, 2)


def _view_of(kind: Any, width: int) -> Any:
    """What writes such a function, of an array's type and the bytes of a sample."""

    def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        start, length = arguments
        array = context.make_array(kind)(context, builder)
        step = context.get_constant(types.intp, width)
        populate_array(
            array,
            data=builder.inttoptr(start, array.data.type),
            shape=[length],
            strides=[step],
            itemsize=step,
            meminfo=None,
        )
        return array._getvalue()

    return generate


@intrinsic
def prefetch(typing_context: Any, array: Any, at: Any) -> Any:
    """Ask for the cache line around ``array[at]``, which need not lie within the array."""

    def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        data = context.make_array(signature.args[0])(context, builder, arguments[0]).data
        place = builder.bitcast(builder.gep(data, [arguments[1]]), ir.IntType(8).as_pointer())
        number = ir.IntType(32)
        kinds = [place.type, number, number, number]
        ask = builder.module.declare_intrinsic(
            "llvm.prefetch", [place.type], ir.FunctionType(ir.VoidType(), kinds)
        )
        # to read, to be kept in every cache, data
        builder.call(ask, [place, number(0), number(3), number(1)])
        return context.get_dummy_value()

    return types.void(array, at), generate


@borrowing
def copy_into(there, here):
    """The values of one array into another of the same length."""
    for i in range(len(there)):
        there[i] = here[i]
