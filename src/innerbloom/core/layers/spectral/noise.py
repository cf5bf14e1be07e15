"""Noise of a spectrum: stored noise in bands, each at a level of its own."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing, inlined
from innerbloom.core.dsp.chance import uniform
from innerbloom.core.dsp.memory import copy_into, integers_at, prefetch
from innerbloom.core.dsp.rates import TICK
from innerbloom.core.dsp.vectors import ABREAST, add_ramps
from innerbloom.core.layers.spectral.room import BAND_PARTS, SILENT
from innerbloom.core.materials.spectrum.bands import BANDS
from innerbloom.core.materials.spectrum.noise import GRID, GROUP, GROUPS, STEP, group_spans

assert GRID == TICK
assert GROUP % ABREAST == 0
_SPANS = group_spans()
_SEEKS = np.uint64(8_192)
_LINE = 32
"""Integers of 16 bits that come from memory together."""

_PREFETCHED = 4 * _LINE
"""How many are fetched at once, of each channel: processors wait for more."""

assert GROUP * TICK % _PREFETCHED == 0

MID, SIDE, ALIKE = range(BAND_PARTS)
"""Levels of a band: of the mid, of the side's own noise, and of the mid's noise in the side."""

_SILENT = np.float32(SILENT * STEP)
"""Gains are of the noise's integers."""


@borrowing
def begin_noise(state, key):
    """Each group of bands at a place of its own."""
    for g in range(GROUPS):
        state.noise_at[g] = np.int64(uniform(key, _SEEKS + np.uint64(g)) * _SPANS[g, 1])
    state.bands[:] = np.float32(0.0)


@inlined
def begin_levels(state, room):
    """A span goes on from the levels that the last has left."""
    for part in range(BAND_PARTS):
        copy_into(room.bands[0, part], state.bands[part])
    _put_loudest(room, 0)


@borrowing
def make_noise(ticks, state, room, sound):
    """The noise of a span, of its mid and of its side.

    All ticks of a group of bands are read in one go: memory sees them coming.
    """
    audio = integers_at(sound.address, sound.samples)
    room.mid[:] = room.sides[:] = np.float32(0.0)
    for g in range(GROUPS):
        for tick in range(ticks):
            one, two = _places(state, g)
            state.noise_at[g] = (state.noise_at[g] + 1) % _SPANS[g, 1]
            _sound_group(room, g, tick, audio, one, two)
    for part in range(BAND_PARTS):
        copy_into(state.bands[part], room.bands[ticks, part])


@inlined
def begin_prefetching(ticks, state, room, sound):
    """List what a span will read of the noise: groups that have sounded last."""
    wanted = room.prefetch
    wanted.address, wanted.samples = sound.address, sound.samples
    wanted.count, wanted.length = 0, ticks * GROUP * TICK
    wanted.group = wanted.at = 0
    for g in range(GROUPS):
        loud, first = np.float32(0.0), g * (GROUP // ABREAST)
        for few in range(first, first + GROUP // ABREAST):
            loud += room.loud[0, few]
        if loud > _SILENT:
            one, two = _places(state, g)
            wanted.starts[wanted.count, 0], wanted.starts[wanted.count, 1] = one, two
            wanted.count += 1


@inlined
def prefetch_some(wanted):
    """Bring a little of it into the cache, while something else is computed.

    The noise lies in megabytes that each voice reads somewhere else: waiting for it took longer than adding
    it up.
    """
    if wanted.group >= wanted.count:
        return
    audio = integers_at(wanted.address, wanted.samples)
    one = wanted.starts[wanted.group, 0] + wanted.at
    two = wanted.starts[wanted.group, 1] + wanted.at
    for i in range(0, _PREFETCHED, _LINE):
        prefetch(audio, one + i)
        prefetch(audio, two + i)
    wanted.at += _PREFETCHED
    if wanted.at >= wanted.length:
        wanted.at = 0
        wanted.group += 1


@inlined
def _places(state, g):
    """Where the noise of a group is read, and where what the side has of its own."""
    begin, length = _SPANS[g, 0], _SPANS[g, 1]
    here = state.noise_at[g]
    one = begin + here * (GROUP * TICK)
    return one, begin + ((here + length // 2) % length) * (GROUP * TICK)


@borrowing
def add_noise(out, ticks, room):
    """Add the noise of a span to interleaved stereo frames."""
    for i in range(np.uint64(ticks * TICK)):
        out[np.uint64(2) * i] += room.mid[i] + room.sides[i]
        out[np.uint64(2) * i + np.uint64(1)] += room.mid[i] - room.sides[i]


@borrowing
def _sound_group(room, g, tick, audio, one, two):
    """A tick of a group, whose noise lies at ``one``, and at ``two`` what the side has of its own."""
    mid, side = room.mid[tick * TICK :], room.sides[tick * TICK :]
    before, after = room.bands[tick], room.bands[tick + 1]
    for k in range(0, GROUP, ABREAST):
        b, at = g * GROUP + k, k * TICK
        few = b // ABREAST
        loud = room.loud[tick, few] + room.loud[tick + 1, few]
        if loud > _SILENT:
            add_ramps(mid, audio, one + at, before[MID, b:], after[MID, b:])
            add_ramps(side, audio, two + at, before[SIDE, b:], after[SIDE, b:])
        alike = room.loud_alike[tick, few] + room.loud_alike[tick + 1, few]
        if alike > _SILENT:
            add_ramps(side, audio, one + at, before[ALIKE, b:], after[ALIKE, b:])


@borrowing
def _put_loudest(room, tick):
    """What some bands abreast have of levels together, so that those that are silent are not read."""
    for few in range(BANDS // ABREAST):
        loud = alike = np.float32(0.0)
        for b in range(few * ABREAST, (few + 1) * ABREAST):
            loud += room.bands[tick, MID, b] + room.bands[tick, SIDE, b]
            alike += abs(room.bands[tick, ALIKE, b])
        room.loud[tick, few], room.loud_alike[tick, few] = loud, alike


@borrowing
def _put_levels(room, s, tick):
    """Levels of bands at the end of a tick: of the mid's noise, of the side's own, and of the mid's
    in the side.

    Left and right are alike as far as ``width`` says, or they stand as they were recorded. Powers
    of the one noise and of the other add up.
    """
    mids, sides = room.bands[tick + 1, MID], room.bands[tick + 1, SIDE]
    alikes = room.bands[tick + 1, ALIKE]
    turn = 0.25 * math.pi * (0.01 * s.width)
    if room.placed <= 0.0:
        half = math.sqrt(0.5) * STEP
        to_mid, to_side = np.float32(half * math.cos(turn)), np.float32(half * math.sin(turn))
        for b in range(BANDS):
            level = np.sqrt(np.float32(room.noise[b]))
            mids[b], sides[b], alikes[b] = to_mid * level, to_side * level, np.float32(0.0)
        return
    wide = math.sin(turn) ** 2 * (1.0 - room.placed)
    for b in range(BANDS):
        level, share = STEP * np.sqrt(0.5 * room.noise[b]), min(wide + room.side[b], 1.0)
        side = level * np.sqrt(share)
        alike = min(max(room.alike[b] / max(share, 1e-12), -1.0), 1.0)
        mids[b] = np.float32(level * np.sqrt(1.0 - share))
        sides[b] = np.float32(side * np.sqrt(1.0 - alike * alike))
        alikes[b] = np.float32(side * alike)


@inlined
def put_band_levels(room, s, tick):
    """Levels of bands at the end of a tick."""
    _put_levels(room, s, tick)
    _put_loudest(room, tick + 1)
