"""Rows of a prepared spectrum, as a voice reads them."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from innerbloom.core.compiling import inlined


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
