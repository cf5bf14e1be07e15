"""From an instrument and events to a stream of sound; the same engine as live."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.deliver.playable import AnyProgram, engine_for
from innerbloom.core.engine import BLOCK, ENGINE_RATE, Program
from innerbloom.core.performance.events import AnyEvent

LONGEST_TAIL_S = 40.0
"""Sound still ringing this long after the last event is faded out."""

_CHUNK = 16 * BLOCK


def render_blocks(program: AnyProgram, events: Sequence[AnyEvent]) -> Iterator[NDArray[np.float32]]:
    """Blocks of shape (up to 4096, 2) at 48 kHz, until the last note has died away.

    The latency of effects and limiter is taken off, so that frame 0 of an event is frame 0 of the
    output.
    """
    engine = engine_for(program)
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


def expected_frames(program: AnyProgram, events: Sequence[AnyEvent]) -> int:
    """About how many frames :func:`render_blocks` will yield, for showing progress."""
    last = max((event.time for event in events), default=0)
    tail_s = _release_s(program) + engine_for(program).tail_s()
    return int(last + round(min(tail_s, LONGEST_TAIL_S) * ENGINE_RATE)) + _CHUNK


def _release_s(program: AnyProgram) -> float:
    """The longest release of any layer."""
    if isinstance(program, Program):
        return max(program.setting(layer.id, "release") for layer in program.layers) / 1000.0
    players = (one.program for one in program.players if one.program is not None)
    return max((_release_s(one) for one in players), default=0.0)
