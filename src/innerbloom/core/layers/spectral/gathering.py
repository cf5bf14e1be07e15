"""What a spectral voice finds where it reads: partials, their sides, noise."""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.parameters import option
from innerbloom.core.dsp.memory import samples_at
from innerbloom.core.layers.spectral.band_balance import add_tonal
from innerbloom.core.layers.spectral.morph import begin_mix, end_mix, mix_in
from innerbloom.core.layers.spectral.outline import add_outline, put_outline
from innerbloom.core.layers.spectral.parameters import SPECTRAL
from innerbloom.core.layers.spectral.room import SILENT
from innerbloom.core.layers.spectral.rows import put_mean_powers, rows_at
from innerbloom.core.layers.spectral.shape import move_bands
from innerbloom.core.layers.spectral.sides import (
    add_noise_sides,
    add_sides,
    clear_sides,
    divide_sides,
)
from innerbloom.core.materials.spectrum.bands import BANDS, PER_OCTAVE
from innerbloom.core.materials.spectrum.envelope import ORDER
from innerbloom.core.materials.spectrum.model import MOMENTS_S
from innerbloom.core.materials.spectrum.prepared import HZ, LEVEL, NOISE, PHASE, STRUCK

_KEPT = option(SPECTRAL, "formants", "kept")
_LEAST_POWER = 1e-14


@borrowing
def gather(room, s, state, readers, played, outlined):
    """Add up what all readers find; the powers of partials are then flat where ``outlined``.

    Gives the power that the partials would have without an outline, and the widest row.
    """
    sounds, levels = played.sounds, played.levels
    widest = 0
    _clear(room)
    heaviest = -1.0
    morphs = readers > 0 and room.readers[0].sound != room.readers[readers - 1].sound
    if morphs:
        begin_mix(room)
    own = whole = 0.0
    for r in range(readers):
        reader = room.readers[r]
        own += reader.weight
        sound = sounds[reader.sound]
        audio = samples_at(sound.address, sound.samples)
        parts = levels[reader.sound]
        if outlined:
            add_outline(room, reader, audio, parts, sound.trim)
        put_mean_powers(room, s, reader, audio, parts, LEVEL)
        power, width = _add_partials(room, reader, audio, parts, sound.trim, outlined)
        add_sides(room, s, reader, audio, parts)
        whole += power
        if reader.weight > heaviest:
            _put_beginnings(room, state, reader, audio, parts)
        heaviest = max(heaviest, reader.weight)
        widest = max(widest, width)
        _add_noise(room, s, reader, audio, parts, sound.trim)
        if morphs:
            add_tonal(room, s, reader, audio, parts, sound.trim)
        last = r + 1 == readers or room.readers[r + 1].sound != reader.sound
        if morphs and last:
            _mixed_in(room, widest, own, whole)
            own = whole = 0.0
    intended = end_mix(room, widest) if morphs else whole
    for p in range(widest):
        heard = room.power[p] > _LEAST_POWER
        room.hz[p] = room.hz[p] / room.power[p] if heard else room.spare_hz[p]
    divide_sides(room, widest)
    return intended, widest


@borrowing
def _clear(room):
    """Nothing has been found yet."""
    for p in range(len(room.power)):
        room.power[p] = room.hz[p] = room.spare_hz[p] = room.start[p] = 0.0
    room.balanced = 0
    for b in range(BANDS):
        room.noise[b] = 0.0
    for j in range(ORDER + 1):
        room.outline[j] = 0.0
    clear_sides(room)


@borrowing
def _mixed_in(room, width, own, whole):
    """Mix in one sound, gathered by shares that add up to ``own``."""
    for p in range(width):
        room.power[p] /= own
        room.hz[p] /= own
        room.in_phase[p] /= own
        room.quadrature[p] /= own
    for b in range(BANDS):
        room.noise[b] /= own
        room.side[b] /= own
        room.alike[b] /= own
        room.tonal[b] /= own
    mix_in(room, width, own, whole / own)


@borrowing
def _add_partials(room, reader, audio, parts, trim, outlined):
    here, there, share = rows_at(audio, parts, HZ, reader.moment)
    width = len(here)
    total = 0.0
    # what stands in records is read once: the compiler cannot know that it stays as it is
    weight, ratio, own = reader.weight, reader.ratio, trim * trim
    for p in range(width):
        room.at[p] = here[p] + share * (there[p] - here[p])
        total += room.found[p]
    if outlined:
        put_outline(room, room.cosines, room.cosines[ORDER], width)
    for p in range(width):
        worth = 1.0 / room.outlined[p] if outlined else own
        power = room.found[p] * weight * worth
        room.found[p] = power
        room.power[p] += power
        room.hz[p] += power * room.at[p] * ratio
    return total * weight * own, width


@borrowing
def _put_beginnings(room, state, reader, audio, parts):
    """Frequencies where there is no power, and phases, in cycles, where partials are born here."""
    phases, _, _ = rows_at(audio, parts, PHASE, reader.moment)
    here, _, share = rows_at(audio, parts, HZ, reader.moment)
    ratio, born = reader.ratio, False
    for p in range(len(here)):
        room.spare_hz[p] = room.at[p] * ratio
        born |= state.left[p] + state.right[p] < SILENT
    if not born:
        return
    for p in range(len(here)):
        turned = phases[p] / (2.0 * math.pi) + share * here[p] / MOMENTS_S
        room.start[p] = turned - np.floor(turned)


@borrowing
def _add_noise(room, s, reader, audio, parts, trim):
    """Add the powers of bands, moved by as much as their pitch is."""
    smear = 0.01 * s.smear
    if smear > 0.0:
        put_mean_powers(room, s, reader, audio, parts, STRUCK)
        for b in range(BANDS):
            room.spare[b] = smear * room.found[b]
    put_mean_powers(room, s, reader, audio, parts, NOISE)
    if smear > 0.0:
        for b in range(BANDS):
            room.found[b] += room.spare[b]
    gain = reader.weight * trim * trim
    for b in range(BANDS):
        room.found[b] *= gain
    ratio = 1.0 if s.formants == _KEPT else reader.ratio
    move = PER_OCTAVE * (math.log2(ratio) + s.formant_shift / 12.0)
    move_bands(room.noise, room.found, move)
    add_noise_sides(room, s, reader, audio, parts, move)
