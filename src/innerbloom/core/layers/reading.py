"""What every source that reads recordings shares: pitch, choice of mip level, folding."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import option
from innerbloom.core.dsp.memory import samples_at
from innerbloom.core.dsp.rates import RATE, SPAN, TICK
from innerbloom.core.layers.common import LAYER

TAP_SCRATCH = [("weights", np.float32, (4 * TICK,)), ("index", np.int32, (TICK,))]
"""Room for reading a tick of frames, see :mod:`.taps`."""

SHIFT_SCRATCH = [("shift", np.float64, (TICK + 1,))]
"""Room for where another layer moves the reading, see :func:`shifts`."""

_SPARSE = 160
"""Samples by which two stretches are compared."""

_PHASE = option(LAYER, "link", "phase")
_FIXED = option(LAYER, "tracking", "fixed")


@borrowing
def played_note(s, pitch):
    """The note number a layer plays, from the voice's pitch and the layer's own tuning."""
    key = 60.0 if s.tracking == _FIXED else pitch
    return key + 12.0 * s.octave + s.pitch + 0.01 * s.fine


@borrowing
def mip_level_for(speed, octaves_up, levels):
    """The fullest of so many mip levels that does not alias when read at this speed."""
    if speed <= 0.0:
        return 0
    k = np.int64(math.ceil(math.log2(speed) - 1e-9)) + octaves_up
    return min(max(k, 0), levels - 1)


@borrowing
def end_layer_voice(layer_voice, tick):
    """Let a layer of a voice fade, at one distance from this tick however spans are cut.

    The rest of a span is shaped before sources know of their end.
    """
    if layer_voice.ended == 0:
        layer_voice.ended = SPAN + 1 - (layer_voice.ticks - 1 - tick)


@borrowing
def correlation_at(sound, levels, one_s, other_s, seconds):
    """Correlation of all frequencies of two stretches of a sound, -1..1, told by a few samples.

    The stretches begin at ``one_s`` and ``other_s``, in seconds.
    """
    audio, level, channels = samples_at(sound.address, sound.samples), levels[0], sound.channels
    product, own, others = 0.0, 1e-12, 1e-12
    for i in range(_SPARSE):
        # the golden section spreads samples evenly without a period of their own
        ahead = seconds * ((i * 0.6180339887498949) % 1.0)
        channel = i % channels
        a = audio[_frame(level, one_s + ahead) * channels + channel]
        b = audio[_frame(level, other_s + ahead) * channels + channel]
        product += a * b
        own += a * a
        others += b * b
    return product / math.sqrt(own * others)


@borrowing
def _frame(level, place_s):
    return level.offset + min(max(np.int64(place_s * level.rate + 0.5), 0), level.frames - 1)


@borrowing
def reflected(x, high):
    """Fold ``x`` back into 0..high at either end."""
    if high <= 0.0:
        return 0.0
    x = abs(x) % (2.0 * high)
    return 2.0 * high - x if x > high else x


@borrowing
def root_of(sound, reference):
    """Note at which a sound plays as recorded, keys following the reference pitch.

    ``reference`` is in semitones above A4 = 440 Hz.
    """
    return sound.root - sound.pitched * reference


@borrowing
def on_path(path, age_s, time_ms, looped):
    """Where a drawn path is, 0..1; ``path`` holds its places at even steps of time."""
    at = age_s * 1000.0 / time_ms
    at = at % 1.0 if looped else min(at, 1.0)
    place = at * (len(path) - 1)
    below = min(np.int64(place), len(path) - 2)
    return path[below] + (place - below) * (path[below + 1] - path[below])


@borrowing
def shifts(shift, modulation, link, root):
    """Another layer's signal as movement of a reading place, in seconds.

    Parameters
    ----------
    shift : float64 array, shape (TICK + 1,)
        Filled; with LINK_RATE the last one is how far the place has moved for good.
    modulation : float64 array, shape (TICK or more,)
        Radians of the period of the root (``link`` LINK_PHASE), or shares of the rate (LINK_RATE).
    root : float
        Note number at which the sound plays as recorded.
    """
    if link == _PHASE:
        period = 1.0 / (440.0 * 2.0 ** ((root - 69.0) / 12.0))
        for i in range(len(shift) - 1):
            shift[i] = modulation[i] * period / (2.0 * math.pi)
        shift[len(shift) - 1] = 0.0
    else:
        total = 0.0
        for i in range(len(shift) - 1):
            shift[i] = total
            total += modulation[i] / RATE
        shift[len(shift) - 1] = total
