"""Bands that one sound of a morph fills with partials and another with noise.

Mixed by themselves, partials and noise both have all but gone half way, and the one gives way to
the other at a stroke. What lies in a band goes in dB from the one sound's level to the other's
instead (M. Caetano and X. Rodet, see :mod:`.morph`), and so does what partials have of it against
noise. Where sounds agree on what is partials and what is noise, outlines and levels of their own say
more, and nothing is done here.
"""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.layers.spectral.loudness import QUIETEST
from innerbloom.core.layers.spectral.rows import put_mean_powers
from innerbloom.core.layers.spectral.shape import move_bands
from innerbloom.core.materials.spectrum.bands import BANDS, LOWEST_HZ, PER_OCTAVE
from innerbloom.core.materials.spectrum.path import MOST_AT_ONCE
from innerbloom.core.materials.spectrum.prepared import PARTIAL_BANDS

_DECIDED = 16.0
"""Variance of the share of partials, from sound to sound, times this is how far levels of bands
are decided here: 1 from a tenth of the way between a tone and noise on."""

_PRESENT = 4.0
"""Times the floor: power at which half of a band counts as being there."""

_ALIKE = 1e-3
_MOST_ODDS = 40.0 / 10.0 * math.log(10.0)
"""Logarithm of 40 dB: the most that partials count for against noise."""

_MOST = 30.0 / 10.0 * math.log(10.0)
"""Logarithm of 30 dB: the most that anything is raised or lowered."""

_BANDS = (BANDS,)
BALANCE_ROOM = [
    ("unlike", np.float64),  # how far levels of bands are decided here, 0..1
    ("tonal", np.float64, _BANDS),  # squared peak amplitudes of partials in each band
    ("balanced", np.int64),  # sounds that are mixed so far; of each of them:
    ("own_weight", np.float64, (MOST_AT_ONCE,)),
    ("own_floor", np.float64, (MOST_AT_ONCE,)),  # power that counts as silence
    ("own_tonal", np.float64, (MOST_AT_ONCE, BANDS)),  # powers of partials and of noise
    ("own_noise", np.float64, (MOST_AT_ONCE, BANDS)),
    ("mixed_band", np.float64, _BANDS),  # all power, and the share of it that partials have
    ("mixed_share", np.float64, _BANDS),
]


@borrowing
def begin_balance(room):
    """Nothing is mixed yet."""
    room.balanced = 0
    for b in range(BANDS):
        room.tonal[b] = 0.0


@borrowing
def add_tonal(room, s, reader, audio, parts, trim):
    """Add what a reader finds of partials, band by band, moved by as much as they are."""
    put_mean_powers(room, s, reader, audio, parts, PARTIAL_BANDS)
    gain = reader.weight * trim * trim
    for b in range(BANDS):
        room.found[b] *= gain
    move_bands(room.tonal, room.found, PER_OCTAVE * math.log2(reader.ratio))


@borrowing
def balance_in(room, weight, floor):
    """Keep the bands of one sound, and its weight."""
    i = room.balanced
    room.own_weight[i], room.own_floor[i] = weight, floor
    for b in range(BANDS):
        room.own_tonal[i, b], room.own_noise[i, b] = 0.5 * room.tonal[b], room.noise[b]
        room.tonal[b] = 0.0
    room.balanced += 1


@borrowing
def end_balance(room):
    """How far sounds differ in what is partials; where they do, what each band is to have."""
    total = unlike = 0.0
    for b in range(BANDS):
        there = share = square = power = 0.0
        for i in range(room.balanced):
            whole = room.own_tonal[i, b] + room.own_noise[i, b]
            present = room.own_weight[i] * whole / (whole + _PRESENT * room.own_floor[i])
            tonal = room.own_tonal[i, b] / max(whole, QUIETEST)
            there += present
            share += present * tonal
            square += present * tonal * tonal
            power += room.own_weight[i] * whole
        there = max(there, QUIETEST)
        unlike += power * max(square / there - (share / there) ** 2, 0.0)
        total += power
    room.unlike = min(1.0, _DECIDED * unlike / max(total, QUIETEST))
    if room.unlike > _ALIKE:
        _mix_bands(room)


@borrowing
def _mix_bands(room):
    """Levels in dB, and shares of partials by the logarithm of their odds."""
    for b in range(BANDS):
        level = odds = there = 0.0
        for i in range(room.balanced):
            tonal, noise = room.own_tonal[i, b], room.own_noise[i, b]
            whole, floor = tonal + noise, room.own_floor[i]
            level += room.own_weight[i] * math.log(max(whole, floor))
            present = room.own_weight[i] * whole / (whole + _PRESENT * floor)
            ratio = math.log(max(tonal, QUIETEST) / max(noise, QUIETEST))
            odds += present * min(max(ratio, -_MOST_ODDS), _MOST_ODDS)
            there += present
        room.mixed_band[b] = math.exp(level)
        room.mixed_share[b] = 1.0 / (1.0 + math.exp(-odds / max(there, QUIETEST)))


@borrowing
def balance_bands(room, width):
    """Bring partials, on their outline, and noise to the levels that were mixed; all power stays."""
    if room.unlike <= _ALIKE:
        return
    whole = _put_tonal(room, width)
    wanted = 0.0
    for b in range(BANDS):
        whole += room.noise[b]
        wanted += room.mixed_band[b]
    scale, made = whole / max(wanted, QUIETEST), 0.0
    for b in range(BANDS):
        power, share = scale * room.mixed_band[b], room.mixed_share[b]
        room.tonal[b] = _log_gain(room, share * power, 0.5 * room.tonal[b])
        room.noise[b] *= math.exp(_log_gain(room, (1.0 - share) * power, room.noise[b]))
        made += room.noise[b]
    for p in range(width):
        low = min(np.int64(room.at[p]), BANDS - 2)
        gain = room.tonal[low] + (room.at[p] - low) * (room.tonal[low + 1] - room.tonal[low])
        room.power[p] *= math.exp(gain)
        made += 0.5 * room.power[p]
    kept = whole / max(made, QUIETEST)
    for p in range(width):
        room.power[p] *= kept
    for b in range(BANDS):
        room.noise[b] *= kept


@borrowing
def _put_tonal(room, width):
    """Powers of partials, shared out to the bands they lie between, whose places are left in
    ``room.at``; gives their power.
    """
    room.tonal[:] = 0.0
    whole = 0.0
    for p in range(width):
        place = PER_OCTAVE * math.log2(max(room.hz[p], LOWEST_HZ) / LOWEST_HZ)
        room.at[p] = min(place, BANDS - 1.0)
        low = min(np.int64(room.at[p]), BANDS - 2)
        share = room.at[p] - low
        room.tonal[low] += (1.0 - share) * room.power[p]
        room.tonal[low + 1] += share * room.power[p]
        whole += 0.5 * room.power[p]
    return whole


@borrowing
def _log_gain(room, wanted, power):
    """Logarithm of what brings a power as far to what is wanted as is decided here."""
    gain = math.log(max(wanted, QUIETEST) / max(power, QUIETEST))
    return room.unlike * min(max(gain, -_MOST), _MOST)
