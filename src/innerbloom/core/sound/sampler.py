"""Loops and root note in a sound file: the `smpl` chunk of WAV, comments of FLAC and Ogg, read and written.

Layout: RIFF Multimedia Programming Interface and Data Specifications 1.0, 1994 revision 3:
nine unsigned 32-bit words, then six for each loop. Loop ends are inclusive; the fraction of
the unity note counts in 2**-32 semitones; types are 0 forward, 1 alternating, 2 backward.
"""

from __future__ import annotations

import math
import struct
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from innerbloom.core.refusing import DECODER_ERRORS
from innerbloom.core.sound.comments import (
    COMMENTED,
    add_comments,
    loop_comments,
    loop_of,
    marker_comments,
    read_comments,
)
from innerbloom.core.sound.loop import Direction, Loop
from innerbloom.core.sound.metadata import append_chunk, riff_chunks
from innerbloom.core.sound.takes import add_markers

_HEAD = struct.Struct("<9I")
_LOOP = struct.Struct("<6I")
_TYPES: tuple[Direction, ...] = ("forward", "back-and-forth", "backward")
_MOST_LOOPS = 64


@dataclass(frozen=True)
class SamplerInfo:
    """What a `smpl` chunk says: root as a MIDI note with a fraction, and loops."""

    root: float | None
    loops: tuple[Loop, ...]


def read_sampler(path: Path) -> SamplerInfo | None:
    """The first `smpl` chunk of a WAV file, or what comments say; None where there is nothing that makes sense."""
    if path.suffix.lower() in COMMENTED:
        loop, root = loop_of(read_comments(path))
        nothing = loop is None and root is None
        return None if nothing else SamplerInfo(root, () if loop is None else (loop,))
    try:
        with path.open("rb") as file:
            for name, offset, size in riff_chunks(file):
                if name == b"smpl" and size >= _HEAD.size:
                    file.seek(offset)
                    return _parsed(file.read(min(size, _HEAD.size + _MOST_LOOPS * _LOOP.size)))
    except (OSError, *DECODER_ERRORS):
        # what stands beside a sound never keeps it from being read
        pass
    return None


def _parsed(data: bytes) -> SamplerInfo:
    words = _HEAD.unpack(data[: _HEAD.size])
    unity, fraction, count = words[3], words[4], words[7]
    loops = []
    for index in range(min(count, _MOST_LOOPS)):
        at = _HEAD.size + index * _LOOP.size
        if at + _LOOP.size > len(data):
            break
        _, kind, start, last, _, plays = _LOOP.unpack(data[at : at + _LOOP.size])
        if last > start:
            direction: Direction = _TYPES[kind] if kind < len(_TYPES) else "forward"
            loops.append(Loop(start, last + 1, direction, stay=plays == 0))
    root = unity + fraction / 2**32 if unity <= 127 else None
    return SamplerInfo(root, tuple(loops))


def mark_sound(
    path: Path,
    rate: int,
    *,
    root: float | None = None,
    loop: Loop | None = None,
    markers: Sequence[int] = (),
) -> None:
    """Write root, loop and markers, in frames, into a file of a format that :func:`.write_sound` writes."""
    if path.suffix.lower() in COMMENTED:
        told = loop_comments(loop, root) | marker_comments(markers, rate)
        if told:
            add_comments(path, told)
        return
    if markers:
        add_markers(path, markers)
    if loop is not None or root is not None:
        add_sampler(path, rate, root, loop)


def add_sampler(path: Path, rate: int, root: float | None, loop: Loop | None) -> None:
    """Append a `smpl` chunk to a plain WAV file, in place.

    A sound without a clear pitch is written with unity note 60, at which it plays untransposed.
    ``stay`` is written as a loop without end, else as one that is left at release (play count 1
    is the closest the chunk has).
    """
    note = 60.0 if root is None else min(127.0, max(0.0, root))
    unity = math.floor(note)
    fraction = min(2**32 - 1, round((note - unity) * 2**32))
    loops = [] if loop is None else [loop]
    data = _HEAD.pack(0, 0, round(1e9 / rate), unity, fraction, 0, 0, len(loops), 0)
    for one in loops:
        kind = _TYPES.index(one.direction)
        data += _LOOP.pack(0, kind, one.start, one.end - 1, 0, 0 if one.stay else 1)
    append_chunk(path, b"smpl", data)
