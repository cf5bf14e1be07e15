"""From an instrument and events to a stream of sound; the same engine as live."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.engine import BLOCK, DELAY, ENGINE_RATE, Engine, Program
from innerbloom.core.performance.events import Event

LONGEST_TAIL_S = 40.0
"""Sound still ringing this long after the last event is faded out."""

_CHUNK = 16 * BLOCK


def render_blocks(program: Program, events: Sequence[Event]) -> Iterator[NDArray[np.float32]]:
    """Blocks of shape (up to 4096, 2) at 48 kHz, until the last note has died away.

    The ceiling's delay is taken off, so that frame 0 of an event is frame 0 of the output.
    """
    engine = Engine(program)
    last = max((event.time for event in events), default=0)
    hard_end = last + round(LONGEST_TAIL_S * ENGINE_RATE)
    fed = 0
    ordered = sorted(events, key=lambda event: event.time)
    skip = DELAY
    while engine.now < hard_end:
        until = engine.now + _CHUNK
        due = fed
        while due < len(ordered) and ordered[due].time < until:
            due += 1
        block = engine.render(_CHUNK, ordered[fed:due])
        fed = due
        yield block[skip:]
        skip = 0
        if engine.now > last and engine.silent():
            return


def expected_frames(program: Program, events: Sequence[Event]) -> int:
    """About how many frames :func:`render_blocks` will yield, for showing progress."""
    last = max((event.time for event in events), default=0)
    release = max(layer.setting("release") for layer in program.layers)
    return last + round(min(release / 1000.0, LONGEST_TAIL_S) * ENGINE_RATE) + _CHUNK
