"""Partials put together again as they were, phases included.

Phases between two moments follow the cubic that meets both frequencies and both phases with the
least bend: R. J. McAulay and T. F. Quatieri, IEEE Trans. ASSP 34(4), 1986, equation 37.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from innerbloom.core.compiling import kernel
from innerbloom.core.dsp.cosine import cosine
from innerbloom.core.materials.spectrum.model import HOP, RATE, Floats, Track


def sound_of(tracks: Iterable[Track], frames: int) -> Floats:
    """The sum of partials, shape (frames,), at RATE; they fade for a moment at either end.

    What lies past the end is left out.
    """
    # a partial may begin and end a moment outside the sound
    out = np.zeros(frames + 4 * HOP, np.float32)
    for track in tracks:
        _add(out, track.first, track.hz, track.level, track.phase)
    return out[HOP : HOP + frames]


@kernel
def _add(out, first, hz, level, phase):  # type: ignore[no-untyped-def]
    turn = 2.0 * np.pi
    span = np.float64(HOP)
    for m in range(-1, len(hz)):
        here, later = max(m, 0), min(m + 1, len(hz) - 1)
        f0, f1 = hz[here] * turn / RATE, hz[later] * turn / RATE
        a0 = level[here] if m >= 0 else 0.0
        a1 = level[later] if m + 1 < len(hz) else 0.0
        p0, p1 = np.float64(phase[here]), np.float64(phase[later])
        if m < 0:
            p0 -= f0 * span
        if m + 1 >= len(hz):
            p1 += f1 * span
        turns = round((p0 + f0 * span - p1 + 0.5 * span * (f1 - f0)) / turn)
        off = p1 - p0 - f0 * span + turn * turns
        square = 3.0 / span**2 * off - (f1 - f0) / span
        cube = -2.0 / span**3 * off + (f1 - f0) / span**2
        if (first + m + 2) * HOP > len(out):
            return
        at = np.uint64(HOP + (first + m) * HOP)
        p0, f0, square, cube = p0 / turn, f0 / turn, square / turn, cube / turn
        begin, rise = np.float32(a0), np.float32((a1 - a0) / span)
        for i in range(np.uint64(HOP)):
            # unsigned numbers become floats one by one only
            t = np.float64(np.int32(i))
            cycles = p0 + t * (f0 + t * (square + t * cube))
            out[at + i] += (begin + rise * np.float32(t)) * cosine(cycles)
