"""Reading samples that lie somewhere in memory, by their address.

A layer may hold dozens of sounds of any length: a record with each one's address lets
one kernel read any of them without copying. Whoever runs the kernel keeps the arrays alive.
"""

from __future__ import annotations

import numba
import numpy as np
from numba.core import cgutils, types
from numba.extending import intrinsic

from innerbloom.core.compiling import kernel


@intrinsic
def _pointer(typing_context, address):
    def generate(context, builder, signature, arguments):
        return builder.inttoptr(arguments[0], cgutils.voidptr_t)

    return types.voidptr(address), generate


@kernel
def samples_of(sound):
    """The interleaved samples of a SOUND record, as a float32 array of shape (samples,)."""
    return numba.carray(_pointer(sound.address), (sound.samples,), np.float32)
