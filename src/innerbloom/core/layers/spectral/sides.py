"""Where partials and noise stand in stereo, as a spectral voice finds it."""

from __future__ import annotations

from innerbloom.core.compiling import borrowing
from innerbloom.core.layers.spectral.rows import rows_at
from innerbloom.core.layers.spectral.shape import move_bands
from innerbloom.core.materials.spectrum.bands import BANDS
from innerbloom.core.materials.spectrum.prepared import NOISE_SIDE, PARTIAL_SIDE


@borrowing
def clear_sides(room):
    """Nothing stands anywhere yet."""
    room.placed = 0.0
    for p in range(len(room.in_phase)):
        room.in_phase[p] = room.quadrature[p] = 0.0
    for b in range(BANDS):
        room.side[b] = room.alike[b] = 0.0


@borrowing
def add_sides(room, s, reader, audio, parts):
    """Add the sides of partials, weighted by the powers in ``room.found``."""
    # a sound without a side has no rows there
    if parts[PARTIAL_SIDE].frames == 0 or s.placed <= 0.0:
        return
    placed = 0.01 * s.placed
    room.placed += reader.weight * placed
    here, there, share = rows_at(audio, parts, PARTIAL_SIDE, reader.moment)
    width = len(here) // 2
    _add_weighted(room.in_phase, room.found, here[:width], there[:width], share, placed)
    _add_weighted(room.quadrature, room.found, here[width:], there[width:], share, placed)


@borrowing
def _add_weighted(sums, weights, here, there, share, scale):
    for p in range(len(here)):
        sums[p] += scale * weights[p] * (here[p] + share * (there[p] - here[p]))


@borrowing
def add_noise_sides(room, s, reader, audio, parts, move):
    """Add what bands have of a side, weighted by the powers in ``room.found``, and move it."""
    if parts[NOISE_SIDE].frames == 0 or s.placed <= 0.0:
        return
    here, there, share = rows_at(audio, parts, NOISE_SIDE, reader.moment)
    sides = room.spare
    sides[:] = 0.0
    _add_weighted(sides, room.found, here[:BANDS], there[:BANDS], share, 0.01 * s.placed)
    move_bands(room.side, sides, move)
    for b in range(BANDS):
        one, other = here[BANDS + b], there[BANDS + b]
        sides[b] *= one + share * (other - one)
    move_bands(room.alike, sides, move)


@borrowing
def divide_sides(room, width):
    """Sums that were weighted by powers become sides of partials and shares of bands."""
    if room.placed <= 0.0:
        return
    for p in range(width):
        heard = room.power[p] > 0.0
        room.in_phase[p] = room.in_phase[p] / room.power[p] if heard else 0.0
        room.quadrature[p] = room.quadrature[p] / room.power[p] if heard else 0.0
    for b in range(BANDS):
        heard = room.noise[b] > 0.0
        room.side[b] = room.side[b] / room.noise[b] if heard else 0.0
        room.alike[b] = room.alike[b] / room.noise[b] if heard else 0.0
