"""Playing a take again: the same engine, given the same events."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.deliver.playable import (
    AnyProgram,
    Plain,
    compile_playable,
    engine_for,
    parse_playable,
    with_moved,
)
from innerbloom.core.engine import TICK, Engine, Limiter
from innerbloom.core.errors import Cancelled
from innerbloom.core.materials.protocol import Materials
from innerbloom.core.performance.events import AnyEvent, EditProgram
from innerbloom.core.performance.take import EditDocument, Mark, Take

Blocks = Iterator[NDArray[np.float32]]
Change = Callable[[Plain], Plain]
"""Makes another instrument, or ensemble, of each that sounds in a take; all as plain data."""

_CHUNK = 4_096


def same(document: Plain) -> Plain:
    """What was played, as it was."""
    return document


def replay(
    take: Take,
    materials: Materials,
    *,
    change: Change = same,
    stream: str | None = None,
    report: Callable[[float], bool] | None = None,
) -> Blocks:
    """The sound of a take, ahead of the limiter; blocks of shape (up to 4096, 2) at 48 kHz.

    With nothing changed these are the samples that were recorded, if the take is exact.

    Parameters
    ----------
    change : callable, optional
        Makes another instrument of each that sounds in it.
    stream : str, optional
        The one shared stream that is heard, see :class:`.Mixer`; ensembles have none.
    report : callable, optional
        Is told the share done, 0..1, lead-in included; gives False to stop.

    Raises
    ------
    BloomError
        If a recording that it plays cannot be found.
    Cancelled
        If it was told to stop.
    """

    known: AnyProgram | None = None

    def compiled(plain: Plain) -> AnyProgram:
        nonlocal known
        # as it was compiled live: what was not edited is not edited here
        known = compile_playable(parse_playable(change(plain)), materials, known)
        return known

    engine = engine_for(
        with_moved(compiled(take.document), take.moved), limited=False, serial=take.serial
    )
    if isinstance(engine, Engine):
        engine.hear_stream(stream)
    events = list(take.events)
    end, fed = take.lead_in + take.frames, 0
    while engine.now < end:
        count = min(_CHUNK, end - engine.now)
        due: list[AnyEvent] = []
        while fed < len(events) and events[fed].time < engine.now + count:
            event = events[fed]
            fed += 1
            if isinstance(event, EditDocument):
                due.append(EditProgram(compiled(event.document), event.time))
            elif not isinstance(event, Mark):
                due.append(event)
        before = engine.now
        block = engine.render(count, due)
        yield from _after(block, take.lead_in - before)
        if report is not None and not report(min(1.0, engine.now / end)):
            raise Cancelled("Stopped.")


def _after(block: NDArray[np.float32], lead_in: int) -> Blocks:
    """What of a block comes after the lead-in."""
    if lead_in < len(block):
        yield block[max(0, lead_in) :]


def limited(blocks: Blocks, ceiling_db: float) -> Blocks:
    """A sound as it leaves the instrument: true peaks below the ceiling, nothing later.

    The limiter looks ahead; the frames by which it lags are taken off at the beginning and come
    at the end.
    """
    limiter = Limiter(ceiling_db)
    waiting, taken, given = np.zeros((0, 2), np.float32), 0, 0
    for block in blocks:
        taken += len(block)
        waiting = np.concatenate((waiting, block))
        whole = len(waiting) // TICK * TICK
        out, waiting = waiting[:whole].copy(), waiting[whole:]
        limiter.process(out)
        late = max(0, limiter.latency - given)
        given += whole
        yield out[late:]
    missing = taken - max(0, given - limiter.latency)
    out = np.zeros((-(-missing // TICK) * TICK + limiter.latency, 2), np.float32)
    out[: len(waiting)] = waiting
    limiter.process(out)
    late = max(0, limiter.latency - given)
    yield out[late : late + missing]
