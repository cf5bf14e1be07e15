"""What becomes of a spectrum before it sounds: thinning, blur, colour, pitches."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import option
from innerbloom.core.dsp.chance import two_sided
from innerbloom.core.dsp.lattice import nearest_step
from innerbloom.core.layers.spectral.parameters import SPECTRAL
from innerbloom.core.materials.spectrum.bands import BANDS, band_hz

_ANYWHERE = option(SPECTRAL, "steps", "anywhere")
_BAND_HZ = band_hz()
_DETUNE, _SCATTER = np.uint64(0), np.uint64(4_096)
_MOST_GAIN = 10.0 ** (30.0 / 10.0)
_LEAST_HZ, _FULL_HZ, _LAST_HZ = 1.0, 20_000.0, 23_000.0
_DRAWN_DB = 60.0
_NO_GATE = -89.99
_OCTAVES = math.log2(20_000.0 / 20.0)


@borrowing
def thin(room, s, width):
    """Leave out partials but for the strongest, and those far below the strongest of all."""
    if s.gate <= _NO_GATE and s.most >= width:
        return
    loudest = 0.0
    for p in range(width):
        loudest = max(loudest, room.power[p])
    if loudest <= 0.0:
        return
    least = loudest * 10.0 ** (s.gate / 10.0) if s.gate > _NO_GATE else 0.0
    if s.most < width:
        least = max(least, _power_of_rank(room, s.most, width, loudest))
    if least <= 0.0:
        return
    for p in range(width):
        below = room.power[p] / least
        if below < 1.0:
            room.power[p] *= below * below * below * below


@borrowing
def _power_of_rank(room, rank, width, loudest):
    """Power that so many partials have at least: by steps of 0.75 dB, straight between."""
    steps = len(room.counts)
    room.counts[:] = 0
    for p in range(width):
        if room.power[p] > 0.0:
            at = np.int64(4.0 * math.log2(loudest / room.power[p]))
            if at < steps:
                room.counts[at] += 1
    before = 0
    for at in range(steps):
        if before + room.counts[at] > rank:
            inside = (rank - before) / room.counts[at]
            return loudest * 2.0 ** (-0.25 * (at + inside))
        before += room.counts[at]
    return 0.0


@borrowing
def blur(values, spare, count, amount):
    """Share each value out among its neighbours; the sum stays."""
    if amount <= 0.0:
        return
    # more than this would take the whole range to let go
    kept = 0.97 * math.sqrt(amount)
    for way in range(2):
        carried = 0.0
        last = count - 1
        for i in range(count):
            at = i if way == 0 else last - i
            carried = kept * carried + (1.0 - kept) * values[at]
            spare[at] = carried
        for i in range(count):
            values[i] = spare[i]


@borrowing
def move_bands(sums, values, move):
    """Add ``values`` to ``sums``, both of shape (BANDS,), so many bands higher; straight between."""
    low = np.int64(math.floor(move))
    part = move - low
    for way in range(2):
        by, weight = low + way, part if way == 1 else 1.0 - part
        first, count = max(by, 0), BANDS - abs(by)
        if count <= 0:
            continue
        there, here = sums[first : first + count], values[first - by : first - by + count]
        for b in range(count):
            there[b] += weight * here[b]


@borrowing
def bend(room, s, width, root_hz, key):
    """Move partials: drawn apart, shifted, detuned, drawn to a scale."""
    stretched = 1.0 + 0.01 * s.stretch
    pull = 0.01 * s.pull
    plain = stretched == 1.0 and s.shift == 0.0 and s.detune <= 0.0 and pull <= 0.0
    if plain:
        return
    for p in range(width):
        octaves = stretched * math.log2(max(room.hz[p], 1.0) / root_hz)
        if s.detune > 0.0:
            octaves += s.detune / 1200.0 * two_sided(key, _DETUNE + np.uint64(p))
        if pull > 0.0 and s.steps != _ANYWHERE:
            octaves += pull * (nearest_step(12.0 * octaves, np.int64(s.steps)) / 12.0 - octaves)
        room.hz[p] = max(root_hz * 2.0**octaves + s.shift, 1.0)


@borrowing
def colour(room, s, width, root_hz, pitched, drawn):
    """Levels by frequency: tilt, odd and even, balance, the drawn filter, and the upper end."""
    partials = min(1.0, 1.0 - 0.01 * s.balance) ** 2
    noise = min(1.0, 1.0 + 0.01 * s.balance) ** 2
    gains = room.spare
    _put_gains(gains, room.hz, width, s, root_hz, drawn)
    for p in range(width):
        room.power[p] *= partials * gains[p]
    if s.odd_even != 0.0:
        _weigh_odd(room, s, width, root_hz, pitched)
    _put_gains(gains, _BAND_HZ, BANDS, s, root_hz, drawn)
    for b in range(BANDS):
        room.noise[b] *= noise * gains[b]


@borrowing
def _weigh_odd(room, s, width, root_hz, pitched):
    """What is left out goes to the others, so that loudness holds."""
    odd = min(1.0, 1.0 - 0.01 * s.odd_even) ** 2
    even = min(1.0, 1.0 + 0.01 * s.odd_even) ** 2
    whole = kept = 0.0
    for p in range(width):
        whole += room.power[p]
        count = np.int64(room.hz[p] / root_hz + 0.5) if pitched else p + 1
        room.power[p] *= odd if count % 2 == 1 else even
        kept += room.power[p]
    if kept > 0.0:
        gain = min(whole / kept, _MOST_GAIN)
        for p in range(width):
            room.power[p] *= gain


@borrowing
def _put_gains(gains, hz, count, s, root_hz, drawn):
    """Gain in power at so many frequencies: of the upper end, a tilt and a drawn filter."""
    for i in range(count):
        above = min(max((_LAST_HZ - hz[i]) / (_LAST_HZ - _FULL_HZ), 0.0), 1.0)
        gains[i] = above * above
    if s.tilt != 0.0:
        tilt = s.tilt * math.log2(10.0) / 10.0
        for i in range(count):
            octaves = math.log2(max(hz[i], _LEAST_HZ) / root_hz)
            gains[i] *= min(2.0 ** (tilt * octaves), _MOST_GAIN)
    if s.drawn > 0.0:
        steepness = 0.01 * s.drawn * _DRAWN_DB / 10.0
        for i in range(count):
            place = math.log2(max(hz[i], _LEAST_HZ) / 20.0) / _OCTAVES
            place = min(max(place, 0.0), 1.0) * (len(drawn) - 1)
            low = min(np.int64(place), len(drawn) - 2)
            level = drawn[low] + (place - low) * (drawn[low + 1] - drawn[low])
            gains[i] *= 10.0 ** (steepness * (level - 1.0))


@borrowing
def scattered_phase(key, p):
    """A partial's own phase, in cycles, -0.5..0.5."""
    return 0.5 * two_sided(key, _SCATTER + np.uint64(p))
