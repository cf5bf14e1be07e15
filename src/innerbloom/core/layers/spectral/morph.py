"""Mixing what several sounds of a morph have: levels in dB above a floor, so that half way is half.

Powers that are mixed leave the louder sound all but alone until it has nearly gone. In dB, the
scale by which loudness is judged, partials and bands go evenly from one to the other (on outlines:
M. Caetano and X. Rodet, "Musical instrument sound morphing guided by perceptually motivated
features", IEEE Trans. ASLP 21(8), 2013). What one of them has not comes from the floor.
"""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.spectrum_settings import MOST_PARTIALS
from innerbloom.core.layers.spectral.band_balance import (
    BALANCE_ROOM,
    balance_in,
    begin_balance,
    end_balance,
)
from innerbloom.core.layers.spectral.loudness import (
    LOUDNESS_ROOM,
    QUIETEST,
    loudness_in,
)
from innerbloom.core.materials.spectrum.bands import BANDS

_FLOOR = 1e-6
"""Power against the outline, or the loudest band, at which a partial or a band counts as silent."""

_LOG_FLOOR = math.log(_FLOOR)

MORPH_ROOM = [
    ("mixed", np.float64, (MOST_PARTIALS,)),  # logarithm of power above the floor
    ("mixed_hz", np.float64, (MOST_PARTIALS,)),
    ("mixed_in_phase", np.float64, (MOST_PARTIALS,)),
    ("mixed_quadrature", np.float64, (MOST_PARTIALS,)),
    ("mixed_noise", np.float64, (BANDS,)),  # the same of bands
    ("mixed_side", np.float64, (BANDS,)),
    ("mixed_alike", np.float64, (BANDS,)),
    ("mixed_floor", np.float64),
    ("mixed_partials", np.float64),  # logarithm of their power
    *BALANCE_ROOM,
    *LOUDNESS_ROOM,
]


@borrowing
def begin_mix(room):
    """Nothing is mixed yet."""
    room.mixed_floor = room.mixed_partials = room.mixed_loudness = 0.0
    for p in range(len(room.mixed)):
        room.mixed[p] = room.mixed_hz[p] = 0.0
        room.mixed_in_phase[p] = room.mixed_quadrature[p] = 0.0
    for b in range(BANDS):
        room.mixed_noise[b] = room.mixed_side[b] = room.mixed_alike[b] = 0.0
    begin_balance(room)


@borrowing
def mix_in(room, width, weight, partials):
    """Add what has been gathered of one sound by its weight, and begin the next one's afresh.

    Partials are flat against the outline; ``partials`` is the sum of their powers with it.
    """
    whole = 0.5 * partials
    for b in range(BANDS):
        whole += room.noise[b]
    floor = max(_FLOOR * whole, QUIETEST)
    room.mixed_partials += weight * math.log(max(partials, 2.0 * floor))
    for p in range(width):
        power = room.power[p]
        if power > _FLOOR:
            above = weight * (math.log(power) - _LOG_FLOOR)
            room.mixed[p] += above
            room.mixed_hz[p] += above * room.hz[p] / power
            room.mixed_in_phase[p] += above * room.in_phase[p] / power
            room.mixed_quadrature[p] += above * room.quadrature[p] / power
        room.power[p] = room.hz[p] = room.in_phase[p] = room.quadrature[p] = 0.0
    room.mixed_floor += weight * math.log(floor)
    loudness_in(room, weight)
    balance_in(room, weight, floor)
    for b in range(BANDS):
        if room.noise[b] > floor:
            above = weight * math.log(room.noise[b] / floor)
            room.mixed_noise[b] += above
            room.mixed_side[b] += above * room.side[b] / room.noise[b]
            room.mixed_alike[b] += above * room.alike[b] / room.noise[b]
        room.noise[b] = room.side[b] = room.alike[b] = 0.0


@borrowing
def end_mix(room, width):
    """What was mixed becomes what is gathered; gives the power that partials are to have.

    Partials and noise go their ways in dB; how loud they are together comes last, see
    :func:`.hold_loudness`.
    """
    for p in range(width):
        if room.mixed[p] > 0.0:
            power = math.exp(room.mixed[p] + _LOG_FLOOR) - _FLOOR
            room.power[p] = power
            # each sound pulls by how far it rises above the floor
            room.hz[p] = power * room.mixed_hz[p] / room.mixed[p]
            room.in_phase[p] = power * room.mixed_in_phase[p] / room.mixed[p]
            room.quadrature[p] = power * room.mixed_quadrature[p] / room.mixed[p]
    end_balance(room)
    floor = math.exp(room.mixed_floor)
    for b in range(BANDS):
        room.noise[b] = floor * (math.exp(room.mixed_noise[b]) - 1.0)
        if room.mixed_noise[b] > 0.0:
            room.side[b] = room.noise[b] * room.mixed_side[b] / room.mixed_noise[b]
            room.alike[b] = room.noise[b] * room.mixed_alike[b] / room.mixed_noise[b]
    return math.exp(room.mixed_partials)
