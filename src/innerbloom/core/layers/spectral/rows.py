"""Rows of a prepared spectrum, as a voice reads them."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from innerbloom.core.compiling import borrowing, inlined
from innerbloom.core.materials.spectrum.model import MOMENTS_S

TAPS = 5
"""Moments that a blur looks at, each side and the middle."""


class Rows(NamedTuple):
    """Two rows that a moment lies between.

    here, there : float32 array, shape (width,)
        The row at or before the moment, and the next; the same where there is only one.
    share : float32
        How far on the moment lies, 0..1.
    """

    here: Any
    there: Any
    share: Any


@inlined
def rows_at(audio, parts, part, moment):
    """The rows of one part of a spectrum around a moment, which is held within it.

    Views, since compilers load side by side what they know to begin at 0.
    """
    place = parts[part]
    width = np.int64(place.rate)
    held = min(max(moment, 0.0), np.float64(place.frames - 1))
    below = min(np.int64(held), max(place.frames - 2, 0))
    first = place.offset + below * width
    after = first + (width if place.frames > 1 else 0)
    here, there = audio[first : first + width], audio[after : after + width]
    return Rows(here, there, np.float32(held - below))


@borrowing
def put_mean_powers(room, s, reader, audio, parts, part):
    """Squares of the levels of one part, the mean over the blur, into ``room.found``."""
    taps = 1 if s.blur_time <= 0.0 else TAPS
    reach = 0.001 * s.blur_time * MOMENTS_S / TAPS
    scale, found = np.float32(1.0 / taps), room.found
    found[:] = 0.0
    for tap in range(taps):
        moment = reader.moment + (tap - taps // 2) * reach
        here, there, share = rows_at(audio, parts, part, moment)
        for p in range(len(here)):
            level = here[p] + share * (there[p] - here[p])
            found[p] += scale * level * level
