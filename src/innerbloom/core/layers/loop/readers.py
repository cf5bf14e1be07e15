"""Readers in a sound, two to a strand, which take turns: to jump, one fades out where it was
while the other fades in at the new place.

A strand that is read apart from pitch jumps to its read-head many times a second, each time to
the place near it that goes on best from where the sound is: W. Verhelst and M. Roelands, "An
overlap-add technique based on waveform similarity (WSOLA)", ICASSP 1993.
"""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing
from innerbloom.core.dsp.memory import samples_at
from innerbloom.core.dsp.rates import RATE
from innerbloom.core.dsp.taps import Samples, add_taps, put_taps
from innerbloom.core.layers.cloud.grain import taper_gain
from innerbloom.core.layers.reading import correlation_at

READER = np.dtype(
    [
        ("place", np.float64),  # seconds of recording
        ("gain", np.float64),  # 0..1 before the curve
        ("slope", np.float64),  # change of gain a frame
        ("linear", np.int64),  # curve of the fade
        ("back", np.int64),  # reads backward
        ("on", np.int64),
        ("paired", np.int64),  # fades against the other reader
        ("like", np.float64),  # how alike the two are, -1..1
    ],
    align=True,
)
STRAND = np.dtype(
    [
        ("sound", np.int64),
        ("gain", np.float64),
        ("head", np.float64),  # read-head apart from pitch, seconds
        ("back", np.int64),
        ("until_hop", np.float64),  # frames to the next jump to the head
        ("synced", np.float64),  # share of the note's period since it restarted
        ("readers", READER, (2,)),
    ],
    align=True,
)
"""What reads one sound of a loop."""

SOFT_FRAMES = 8.0
"""Least frames of fade at a seam, so that the step is no wider than the output can carry."""

HOP = 0.030 * RATE
"""Frames between jumps to the read-head."""

_LEAST_LIKE = -0.85
_LOOK_S = 0.010
_WINDOW_S = 0.012
_LOOK_LEVEL = 3
"""The mip level looked at for alike places: up to 3 kHz, a sample every 42 microseconds."""


class Reading(NamedTuple):
    """How a tick of one strand is read.

    sound : SOUND record; level : MIP_LEVEL record
    step_s : float
        Seconds of recording a frame.
    gain : float
    shift : float64 array, shape (TICK + 1,); reach : float
        Where another layer moves the reading: by ``shift * reach`` seconds.
    """

    sound: Any
    level: Any
    step_s: float
    gain: float
    shift: NDArray[np.float64]
    reach: float


@borrowing
def begin_strand(strand, s, sound, which, draw):
    strand.sound = which
    strand.head = (s.start + s.start_scatter * draw) * 0.01 * sound.seconds
    strand.head = min(max(strand.head, 0.0), sound.seconds)
    strand.back = 0
    strand.until_hop = HOP
    strand.synced = 0.0
    reader = strand.readers[0]
    strand.readers[1].on = 0
    reader.on = 1
    reader.place = strand.head
    # the first few frames rise, so that a start inside a sound is no step
    reader.gain = 0.0
    reader.slope = 1.0 / SOFT_FRAMES
    reader.linear = 1
    reader.back = 0
    reader.paired = 0


@borrowing
def jump(strand, place, back, frames, linear, like):
    """Cross over to a new place within so many frames; not while still crossing.

    ``like`` is how alike the two places are, -1..1: the level holds (see :mod:`.crossfade`).
    """
    if strand.readers[1].on == 1:
        return False
    old = strand.readers[0]
    leaving = strand.readers[1]
    leaving.place, leaving.back, leaving.on = old.place, old.back, 1
    leaving.gain, leaving.slope, leaving.linear = old.gain, -1.0 / max(frames, 1.0), linear
    old.place, old.back = place, back
    old.gain, old.slope, old.linear = 0.0, 1.0 / max(frames, 1.0), linear
    old.paired = leaving.paired = 1
    old.like = leaving.like = max(like, _LEAST_LIKE)
    return True


@borrowing
def likeness(sound, levels, strand, place, step_s, frames):
    """How alike what is read now and what lies at another place are, over so many frames."""
    reader = strand.readers[0]
    span = frames * step_s
    back = span if reader.back == 1 else 0.0
    return correlation_at(sound, levels, reader.place - back, place - back, span)


@borrowing
def _held(fade, even, like):
    """A reader's gain in a crossfade: both sides together keep their level."""
    one = np.float32(1.0)
    if even:
        a, b = fade, one - fade
    else:
        risen = taper_gain(fade)
        a, b = np.sqrt(max(risen, np.float32(0.0))), np.sqrt(max(one - risen, np.float32(0.0)))
    return a / np.sqrt(a * a + b * b + np.float32(2.0) * like * a * b)


@borrowing
def _likeness(samples, one, other, count, stride):
    """How alike two places are: their products over ``count`` frames."""
    audio, channels, first = samples.audio, samples.channels, samples.base
    total = np.float32(0.0)
    power = np.float32(1e-12)
    for i in range(0, count, stride):
        a = audio[(first + one + i) * channels]
        b = audio[(first + other + i) * channels]
        total += a * b
        power += b * b
    return total / math.sqrt(power)


@borrowing
def alike_place(sound, levels, reader, wanted):
    """The place near ``wanted`` that goes on best from where the reader is, in seconds."""
    level = levels[min(_LOOK_LEVEL, len(levels) - 1)]
    count = np.int64(_WINDOW_S * level.rate)
    reach = np.int64(_LOOK_S * level.rate)
    last = level.frames - count - 1
    one = np.int64(reader.place * level.rate)
    middle = np.int64(wanted * level.rate)
    if last <= 0 or one > last or middle - reach < 0 or middle + reach > last:
        return wanted
    samples = Samples(samples_at(sound.address, sound.samples), sound.channels, level.offset)
    best, found = -1e30, middle
    for other in range(middle - reach, middle + reach + 1, 3):
        value = _likeness(samples, one, other, count, 3)
        if value > best:
            best, found = value, other
    coarse = found
    for other in range(coarse - 2, coarse + 3):
        value = _likeness(samples, one, other, count, 1)
        if value > best:
            best, found = value, other
    return wanted + (found - middle) / level.rate


@borrowing
def _weigh(taps, frames, reader, reading, begin):
    """Reading places, and spline weights times the reader's fade."""
    weights, index, shift, level = taps.weights, taps.places, reading.shift, reading.level
    top = level.frames - 1.0
    place = reader.place * level.rate
    step = (-reading.step_s if reader.back == 1 else reading.step_s) * level.rate
    away = reading.reach * level.rate
    gain, slope = np.float32(reader.gain), np.float32(reader.slope)
    zero, one = np.float32(0.0), np.float32(1.0)
    level_of = np.float32(reading.gain * reading.sound.trim)
    even, paired, like = reader.linear != 0, reader.paired != 0, np.float32(reader.like)
    for i in range(frames):
        p = min(max(place + i * step + shift[begin + i] * away, 0.0), top)
        whole = np.int32(p)
        index[i] = whole
        fade = min(max(gain + np.float32(i) * slope, zero), one)
        if paired:
            fade = _held(fade, even, like)
        elif not even:
            fade = np.sqrt(max(taper_gain(fade), zero))
        put_taps(weights, i, np.float32(p - whole), fade * level_of)


@borrowing
def add_reader(out, reader, reading, begin, frames, taps):
    """Add frames of one reader to ``out``, stereo and interleaved, from ``begin`` on.

    Parameters
    ----------
    out : float32 array
    reader : READER record; reading : Reading
    begin, frames : int
    taps : Taps
        Scratch.
    """
    count, sound = np.uint64(frames), reading.sound
    _weigh(taps, count, reader, reading, np.uint64(begin))
    audio = samples_at(sound.address, sound.samples)
    samples = Samples(audio, sound.channels, reading.level.offset)
    add_taps(out, samples, begin, count, (1.0, 1.0), taps)


@borrowing
def advance(strand, frames, step_s):
    for i in range(2):
        reader = strand.readers[i]
        if reader.on == 0:
            continue
        reader.place += frames * (-step_s if reader.back == 1 else step_s)
        reader.gain = min(max(reader.gain + frames * reader.slope, 0.0), 1.0)
        if reader.slope < 0.0 and reader.gain <= 1e-6:
            reader.on = 0
