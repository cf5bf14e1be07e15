"""Strands of a loop layer: two, each with a sound of its own, so that one may blend into another."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import option
from innerbloom.core.dsp.chance import two_sided
from innerbloom.core.dsp.rates import RATE
from innerbloom.core.layers.loop.readers import STRAND, begin_strand, jump
from innerbloom.core.layers.shared import CHOOSING

LOOP_STATE = np.dtype(
    [
        ("serial", np.uint64),
        ("trigger", np.int64),
        ("age", np.float64),
        ("counter", np.uint64),
        ("strands", STRAND, (2,)),
    ],
    align=True,
)
"""A loop of one voice: two strands, for two sounds that blend."""

_BLENDED = option(CHOOSING, "borders", "crossfaded")
_BY_CONTROL = option(CHOOSING, "choose", "control")

CATCH_UP = 0.004 * RATE
"""Frames of fade where a loop point has moved past the reader, or a voice is struck again."""


@borrowing
def _wanted_gains(s, zone, count):
    """Which two sounds are wanted, and how much of the second, 0..1."""
    if s.choose == _BY_CONTROL and count > 1:
        place = s.choice * 0.01 * (count - 1)
        first = min(np.int64(place), count - 2)
        share = place - first
        if s.borders != _BLENDED:
            share = 1.0 if share >= 0.5 else 0.0
        return first, first + 1, share
    return zone.first, zone.second, zone.share


@borrowing
def settle_strands(state, s, zone, sounds, key):
    """Move the strands' gains to what is wanted, and give silent strands to wanted sounds."""
    first, second, share = _wanted_gains(s, zone, len(sounds))
    for i in range(2):
        strand, other = state.strands[i], state.strands[1 - i]
        for side in range(2):
            which = first if side == 0 else second
            level = 1.0 - share if side == 0 else share
            free = strand.gain <= 0.0 and strand.sound != which
            if level > 0.0 and free and other.sound != which:
                draw = two_sided(key, state.counter)
                state.counter += np.uint64(1)
                begin_strand(strand, s, sounds[which], which, draw)
    for i in range(2):
        strand = state.strands[i]
        level = 0.0
        if strand.sound == first:
            level = 1.0 - share
        elif strand.sound == second:
            level = share
        away = math.sqrt(level) - strand.gain
        # at the start of a note at once, later over 20 ms
        most = 1.0 if state.age == 0.0 else 0.07
        strand.gain += min(max(away, -most), most)


@borrowing
def strike_again(state, s, sounds, key):
    """A new strike of the same voice begins the sound again, crossing over from where it was."""
    for i in range(2):
        strand = state.strands[i]
        if strand.sound >= 0 and strand.gain > 0.0:
            sound = sounds[strand.sound]
            draw = two_sided(key, state.counter)
            state.counter += np.uint64(1)
            place = (s.start + s.start_scatter * draw) * 0.01 * sound.seconds
            strand.head = min(max(place, 0.0), sound.seconds)
            jump(strand, strand.head, 0, CATCH_UP, 1, 0.0)


@borrowing
def begin_loop(state, voice):
    """Nothing sounds yet: strands are given sounds by :func:`settle_strands`."""
    state.serial = voice.serial
    state.trigger = voice.trigger
    state.age = 0.0
    state.counter = np.uint64(0)
    for i in range(2):
        state.strands[i].sound = -1
        state.strands[i].gain = 0.0
