"""Takes of one backing put together: which is heard when, crossfaded where one gives way."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.errors import PerformanceError
from innerbloom.core.performance.lanes import notes_of
from innerbloom.core.performance.take import RATE, Take, TakeEvent
from innerbloom.core.prepare.source import FileSource
from innerbloom.core.sound.crossfade import crossfaded_inside

_CHUNK = 1 << 16
_AROUND = 4_096
"""Frames on either side of a joint by which it is told how alike the sides are."""


@dataclass(frozen=True)
class Part:
    """A stretch of a comp.

    Attributes
    ----------
    sound : FileSource
        Of the take that is heard.
    start, end : int
        In frames of the comp.
    offset : int
        Frames of the comp at which the take's own sound begins.
    """

    sound: FileSource
    start: int
    end: int
    offset: int

    def read(self, first: int, count: int) -> NDArray[np.float32]:
        """What the take sounds like from a frame of the comp on; silence where it is not."""
        out = np.zeros((count, 2), np.float32)
        at = first - self.offset
        before = max(0, -at)
        if before < count:
            found = self.sound.read(at + before, count - before)
            out[before : before + len(found)] = found
        return out


def put_together(parts: Sequence[Part], crossfade_s: float) -> Iterator[NDArray[np.float32]]:
    """The sound of a comp, blocks of shape (n, 2).

    The crossfade lies about each joint and keeps the level by how alike the two sides are (Fink,
    Holters and Zölzer, DAFx 2016); it is shorter where a part is too short for it.

    Raises
    ------
    PerformanceError
        If the parts do not follow one another.
    """
    if not parts or any(a.end != b.start or a.end <= a.start for a, b in pairwise(parts)):
        raise PerformanceError("The parts of a comp follow one another: choose them anew.")
    fades = [_fade(a, b, crossfade_s) for a, b in pairwise(parts)]
    for number, part in enumerate(parts):
        into = fades[number - 1] if number else 0
        out_of = fades[number] if number < len(fades) else 0
        if into:
            yield _joint(parts[number - 1], part, into)
        start, end = part.start + into // 2, part.end - (out_of - out_of // 2)
        for first in range(start, end, _CHUNK):
            yield part.read(first, min(_CHUNK, end - first))


def _fade(before: Part, after: Part, crossfade_s: float) -> int:
    shortest = min(before.end - before.start, after.end - after.start)
    return int(min(round(crossfade_s * RATE), shortest // 2)) // 2 * 2


def _joint(before: Part, after: Part, fade: int) -> NDArray[np.float32]:
    first = after.start - fade // 2
    out, into = (one.read(first - _AROUND, fade + 2 * _AROUND) for one in (before, after))
    return crossfaded_inside(out, into, _AROUND, fade, "equal power")


def hands_together(takes: Sequence[tuple[Take, float, float, float]], seconds: float) -> Take:
    """The hands of a comp: of each take the notes that begin in its stretch.

    Parameters
    ----------
    takes : sequence of (take, start, end, offset)
        In seconds of the comp; ``offset`` is where the take itself begins in it.
    """
    events: list[TakeEvent] = []
    for number, (take, start, end, offset) in enumerate(takes):
        for note in notes_of(take):
            if not start <= note.start + offset < end:
                continue
            for place in range(note.first, note.last + 1):
                event = take.events[place]
                if getattr(event, "note", None) != note.note or not hasattr(event, "kind"):
                    continue
                time = event.time - take.lead_in + round(offset * RATE)
                own = (number << 20) + note.first + 1
                events.append(replace(event, time=max(0, time), note=own))  # type: ignore[call-arg, arg-type]
    first = takes[0][0]
    ordered = tuple(sorted(events, key=lambda one: one.time))
    return Take(
        document=first.document, moved=first.moved, events=ordered, frames=round(seconds * RATE),
        serial=first.serial, exact=False,
    )  # fmt: skip
