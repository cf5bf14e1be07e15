"""From an instrument and events to a stream of sound; the same engine as live."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.engine import BLOCK, ENGINE_RATE, Engine, Program
from innerbloom.core.performance.events import AnyEvent

LONGEST_TAIL_S = 40.0
"""Sound still ringing this long after the last event is faded out."""

_CHUNK = 16 * BLOCK


def render_blocks(program: Program, events: Sequence[AnyEvent]) -> Iterator[NDArray[np.float32]]:
    """Blocks of shape (up to 4096, 2) at 48 kHz, until the last note has died away.

    The latency of effects and limiter is taken off, so that frame 0 of an event is frame 0 of the
    output.
    """
    engine = Engine(program)
    last = max((event.time for event in events), default=0)
    hard_end = last + round(LONGEST_TAIL_S * ENGINE_RATE)
    fed = 0
    ordered = sorted(events, key=lambda event: event.time)
    skip = engine.latency
    while engine.now < hard_end:
        until = engine.now + _CHUNK
        due = fed
        while due < len(ordered) and ordered[due].time < until:
            due += 1
        block = engine.render(_CHUNK, ordered[fed:due])
        fed = due
        yield block[skip:]
        skip = max(0, skip - len(block))
        if engine.now > last and engine.silent():
            return


def expected_frames(program: Program, events: Sequence[AnyEvent]) -> int:
    """About how many frames :func:`render_blocks` will yield, for showing progress."""
    last = max((event.time for event in events), default=0)
    release_s = max(program.setting(layer.id, "release") for layer in program.layers) / 1000.0
    tail_s = release_s + Engine(program).tail_s()
    return int(last + round(min(tail_s, LONGEST_TAIL_S) * ENGINE_RATE)) + _CHUNK
