"""Outlines over a spectrum: read, mixed, and given to partials."""

from __future__ import annotations

import math

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import option
from innerbloom.core.dsp.cosine import cosine
from innerbloom.core.dsp.rates import RATE
from innerbloom.core.layers.spectral.loudness import MOST_GAIN
from innerbloom.core.layers.spectral.parameters import SPECTRAL
from innerbloom.core.layers.spectral.rows import rows_at
from innerbloom.core.materials.spectrum.envelope import EVERY, ORDER, WARP_HZ
from innerbloom.core.materials.spectrum.prepared import OUTLINE

_KEPT = option(SPECTRAL, "formants", "kept")
_TOP = RATE / 2.0


@borrowing
def is_outlined(s, weights, count, ratio):
    """Whether partials leave their own outline: in a morph, or where formants go their own way."""
    if s.formant_shift != 0.0 or (s.formants == _KEPT and ratio != 1.0):
        return True
    sounding = 0
    for i in range(count):
        if weights[i] > 0.0:
            sounding += 1
    return sounding > 1


@borrowing
def put_outline(room, lines, log_gain, count):
    """Power of an outline at the frequencies in ``room.at``, into ``room.outlined``.

    ``lines`` are the cosines of its line spectral frequencies. Frequencies are taken side by side,
    line by line, which compilers turn into vector code.
    """
    for p in range(count):
        held = min(max(room.at[p], 0.0), _TOP)
        # half a turn from 0 Hz to the top of the axis
        cycles = 0.5 * held * (WARP_HZ + _TOP) / (_TOP * (WARP_HZ + held))
        room.cosine[p] = cosine(cycles)
        room.even[p] = room.odd[p] = 1.0
    for j in range(0, ORDER, 2):
        one, other = lines[j], lines[j + 1]
        for p in range(count):
            a, b = 2.0 * (room.cosine[p] - one), 2.0 * (room.cosine[p] - other)
            room.even[p] *= a * a
            room.odd[p] *= b * b
    gain = math.exp(2.0 * log_gain)
    for p in range(count):
        c = room.cosine[p]
        size = 0.5 * (1.0 + c) * room.even[p] + 0.5 * (1.0 - c) * room.odd[p]
        room.outlined[p] = gain / max(size, 1e-12)


@borrowing
def add_outline(room, reader, audio, parts, trim):
    """Add a sound's outline by its share, and leave its own for the partials to be divided by."""
    here, there, share = rows_at(audio, parts, OUTLINE, reader.moment / EVERY)
    for j in range(ORDER + 1):
        value = here[j] + share * (there[j] - here[j])
        room.cosines[j] = math.cos(value) if j < ORDER else value
        room.outline[j] += reader.weight * (value if j < ORDER else value + math.log(trim))


@borrowing
def put_on_outline(room, s, readers, width, intended):
    """Give flat partials the outline that was mixed, keeping their power together."""
    ratio = 0.0
    for r in range(readers):
        ratio += room.readers[r].weight * math.log(room.readers[r].ratio)
    moved = 0.0 if s.formants == _KEPT else ratio
    scale = math.exp(-moved - s.formant_shift * math.log(2.0) / 12.0)
    for j in range(ORDER):
        room.lines[j] = math.cos(room.outline[j])
    for p in range(width):
        room.at[p] = room.hz[p] * scale
    put_outline(room, room.lines, room.outline[ORDER], width)
    total = 0.0
    for p in range(width):
        room.power[p] *= room.outlined[p]
        total += room.power[p]
    if total > 0.0:
        gain = min(intended / total, MOST_GAIN)
        for p in range(width):
            room.power[p] *= gain
