"""Routes: what arrives from a source, and what it adds up to at a target.

A route reads its source, then applies polarity, curve, span, easing and its second source, in
this order. What all routes bring a target is summed in the target's own scale and held inside
its range.
"""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.engine.kernels.modulators import advance, table_at
from innerbloom.core.instrument.catalogue import CONTROLLERS, SOURCES
from innerbloom.core.instrument.movement import POLARITIES

TARGET = np.dtype(
    [
        ("index", np.int64),  # place in the row
        ("low", np.float64),
        ("high", np.float64),
        ("log", np.int64),  # adds in octaves
        ("instant", np.int64),  # never eased
    ],
    align=True,
)
"""A value that something moves."""

MOVE = np.dtype(
    [
        ("source", np.int64),  # named, then controllers, then two of each modulator
        ("reach", np.float64),
        ("two_sided", np.int64),
        ("by", np.int64),  # second source, or -1
        ("by_reach", np.float64),
        ("by_two_sided", np.int64),
        ("layer", np.int64),  # whose envelopes are meant
        ("target", np.int64),  # place among the targets
        ("amount", np.int64),  # place of the moved amount in the row, or -1
        ("polarity", np.int64),
        ("curve", np.int64),  # table, or -1
        ("spans", np.int64),
        ("low", np.float64),
        ("high", np.float64),
        ("rise", np.float64),  # share of the way made in a tick
        ("fall", np.float64),
    ],
    align=True,
)
"""A route as the engine runs it."""

ROUTE, PUT, ADVANCE = 0, 1, 2
"""What there is to do in a tick: follow a route, write a target, move a modulator on."""

_IDS = [source.id for source in SOURCES]
_VELOCITY, _RELEASE_VELOCITY = _IDS.index("velocity"), _IDS.index("release_velocity")
_KEY, _BEND, _PRESSURE = _IDS.index("key"), _IDS.index("bend"), _IDS.index("pressure")
_SLIDE, _WHEEL, _STACK = _IDS.index("slide"), _IDS.index("wheel"), _IDS.index("stack")
_RANDOM, _AGE, _HELD = _IDS.index("random"), _IDS.index("age"), _IDS.index("held")
_ACROSS, _UP = _IDS.index("pad_across"), _IDS.index("pad_up")
FIRST_SHAPE = _IDS.index("envelope")
"""Named sources from here on are envelopes of the target's layer, known once a tick has begun."""

SOURCE_COUNT = len(_IDS)
FIRST_MODULATOR = SOURCE_COUNT + CONTROLLERS
ACROSS, UP, KEYS_HELD = CONTROLLERS, CONTROLLERS + 1, CONTROLLERS + 2
"""Places of the pad and of the number of keys among what is played."""

PLAYED = CONTROLLERS + 3
_ONE_SIDED, _TWO_SIDED = POLARITIES.index("one-sided"), POLARITIES.index("two-sided")
_INVERTED, _MIRRORED = POLARITIES.index("inverted"), POLARITIES.index("mirrored")

RESIDUE_KEPT = 0.85
"""Share of a jump that an edit made which is left after a tick (time constant 8 ms)."""


@borrowing
def _source_value(source, voice, shape, tone_shape, played, own, common, modulators):
    if source >= FIRST_MODULATOR:
        at = source - FIRST_MODULATOR
        return common[at] if modulators[at // 2].shared == 1 else own[at]
    if source >= SOURCE_COUNT:
        return played[source - SOURCE_COUNT]
    if source == _VELOCITY:
        return voice.velocity
    if source == _RELEASE_VELOCITY:
        return voice.release_velocity
    if source == _KEY:
        return (voice.pitch - 60.0) / 12.0
    if source == _BEND:
        return voice.bend / 12.0
    if source == _PRESSURE:
        return voice.pressure
    if source == _SLIDE:
        return voice.slide
    if source == _WHEEL:
        return played[1]
    if source == _STACK:
        return voice.place
    if source == _RANDOM:
        return voice.random
    if source == _AGE:
        return min(voice.age * 0.1, 1.0)
    if source == _HELD:
        return played[KEYS_HELD]
    if source == _ACROSS:
        return played[ACROSS]
    if source == _UP:
        return played[UP]
    return shape if source == FIRST_SHAPE else tone_shape


@borrowing
def one_sided(value, both, reach):
    """A value as a share 0..1 of all its source can reach."""
    share = 0.5 * (value / reach + 1.0) if both == 1 else value
    return min(max(share, 0.0), 1.0)


@borrowing
def shaped(move, value, curves):
    """Polarity, curve and span."""
    both, reach = move.two_sided, move.reach
    if move.polarity == _INVERTED:
        value = -value if both == 1 else 1.0 - value
    elif move.polarity == _ONE_SIDED and both == 1:
        value, both = one_sided(value, 1, reach), 0
    elif move.polarity == _TWO_SIDED and both == 0:
        value, both, reach = 2.0 * value - 1.0, 1, 1.0
    elif move.polarity == _MIRRORED:
        value = abs(value / reach) if both == 1 else abs(2.0 * value - 1.0)
        both = 0
    if move.curve >= 0:
        bent = table_at(curves[move.curve], one_sided(value, both, reach))
        value = (2.0 * bent - 1.0) * reach if both == 1 else bent
    if move.spans == 1:
        value = move.low + one_sided(value, both, reach) * (move.high - move.low)
    return value


@borrowing
def _eased(move, value, memory, instant):
    if instant == 1:
        return value
    away = value - memory
    return memory + away * (move.rise if away > 0.0 else move.fall)


@borrowing
def put(target, row, base, added):
    """Write a target's value, moved and held inside its range."""
    value = base[target.index]
    value = value * 2.0**added if target.log == 1 else value + added
    row[target.index] = min(max(value, target.low), target.high)


@borrowing
def run(
    jobs, first, last, moves, targets, modulators, states, v, voice, parts, played, nodes, common,
    memory, came, fresh, depths, row, base, sums, residue, curves, tables, steps, heard, phrase,
    morph, tempo, seed,
):  # fmt: skip
    """Do some of the jobs of a tick, for one voice.

    Parameters
    ----------
    jobs : int64 array, shape (jobs, 2); first, last : int
        What to do, and to what; those from ``first`` to before ``last``.
    states : MODULATOR_STATE array, shape (slots + 1, modulators); v : int
        Of all voices; this one's place.
    parts : PART array, shape (layers, slots)
        For routes from envelopes, which are no jobs of the leading voice.
    played : float64 array, shape (PLAYED,)
        Controllers in 0..1, the pad in -1..1, and the share of keys held.
    nodes : float64 array, shape (slots + 1, 2 * modulators); common : the row of the leader
        What modulators give.
    memory, came : float64 arrays, shape (slots + 1, routes)
        What each route brought before its second source, and what it added in the end.
    depths : float64 array, shape (routes,)
    row, base : float64 arrays, shape (values,)
        Values with movement, which are written, and without it.
    sums, residue : float64 arrays, shape (targets,)
        What is added now, and what is left of jumps that edits made.
    """
    for job in range(first, last):
        index = jobs[job, 1]
        if jobs[job, 0] == ROUTE:
            move = moves[index]
            shape = tone_shape = 0.0
            if FIRST_SHAPE <= move.source < SOURCE_COUNT or FIRST_SHAPE <= move.by < SOURCE_COUNT:
                part = parts[move.layer, v]
                shape, tone_shape = part.shape.level, part.tone_shape.level
            value = _source_value(move.source, voice, shape, tone_shape, played, nodes[v], common,
                                  modulators)  # fmt: skip
            value = shaped(move, value, curves)
            if not fresh:
                value = _eased(move, value, memory[v, index], targets[move.target].instant)
            memory[v, index] = value
            if move.by >= 0:
                by = _source_value(move.by, voice, shape, tone_shape, played, nodes[v], common,
                                   modulators)  # fmt: skip
                value *= one_sided(by, move.by_two_sided, move.by_reach)
            amount = 1.0 if move.amount < 0 else 0.01 * row[move.amount]
            value *= depths[index] * amount
            came[v, index] = value
            sums[move.target] += value
        elif jobs[job, 0] == PUT:
            put(targets[index], row, base, sums[index] + residue[index])
        else:
            advance(modulators[index], states[v, index], index, voice, phrase, row, morph, tempo,
                    seed, tables, steps, heard, nodes[v, 2 * index : 2 * index + 2])  # fmt: skip
