"""Routes: what arrives from a source, and what it adds up to at a target.

A route reads its source, then applies polarity, curve, span, easing and its second source, in
this order. What all routes bring a target is summed in the target's own scale and held inside
its range.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing, inlined, switch
from innerbloom.core.dsp.chance import chance_key
from innerbloom.core.instrument.catalogue import CONTROLLERS, INSTRUMENT, SOURCES
from innerbloom.core.modulators import MODULATOR_KINDS
from innerbloom.core.modulators.common import place_of, table_at
from innerbloom.core.modulators.kind import Drawn, Now

TARGET = np.dtype(
    [
        ("index", np.int64),  # place in the row
        ("low", np.float64),
        ("high", np.float64),
        ("log", np.int64),  # adds in octaves
        ("instant", np.int64),  # jumps of edits are not smoothed
    ],
    align=True,
)
"""A value that something moves."""

MOVE = np.dtype(
    [
        ("source", np.int64),  # named, then controllers, then two of each modulator
        ("by", np.int64),  # second source, or -1
        ("by_scale", np.float64),
        ("by_offset", np.float64),
        ("layer", np.int64),  # whose envelopes are meant
        ("target", np.int64),  # place among the targets
        ("depth", np.int64),  # places of its depth and amount in the row
        ("amount", np.int64),
        ("scale", np.float64),  # from the source to the curve
        ("offset", np.float64),
        ("mirrored", np.int64),  # the distance from the middle
        ("clamped", np.int64),  # held in 0..1 ahead of the curve
        ("curve", np.int64),  # table, or -1
        ("size", np.float64),  # from the curve to the depth
        ("base", np.float64),
        ("rise", np.float64),  # share of the way made in a tick
        ("fall", np.float64),
    ],
    align=True,
)
"""A route as the engine runs it; polarity and span are scale and offset on either side of the
curve."""

ROUTE, PUT, ADVANCE = 0, 1, 2
"""What there is to do in a tick: follow a route, write a target, move a modulator on."""

_IDS = [source.id for source in SOURCES]
_VELOCITY, _RELEASE_VELOCITY = _IDS.index("velocity"), _IDS.index("release_velocity")
_KEY, _BEND, _PRESSURE = _IDS.index("key"), _IDS.index("bend"), _IDS.index("pressure")
_SLIDE, _WHEEL, _STACK = _IDS.index("slide"), _IDS.index("wheel"), _IDS.index("stack")
_RANDOM, _AGE, _HELD = _IDS.index("random"), _IDS.index("age"), _IDS.index("held")
_ACROSS, _UP = _IDS.index("pad_across"), _IDS.index("pad_up")
_MAP_ACROSS, _MAP_UP = _IDS.index("map_across"), _IDS.index("map_up")
FIRST_SHAPE = _IDS.index("envelope")
SECOND_SHAPE = _IDS.index("tone_envelope")
"""Named sources from here on are envelopes of the target's layer, known once a tick has begun."""

SOURCE_COUNT = len(_IDS)
FIRST_MODULATOR = SOURCE_COUNT + CONTROLLERS
ACROSS, UP, KEYS_HELD = CONTROLLERS, CONTROLLERS + 1, CONTROLLERS + 2
"""Places of the pad and of the number of keys among what is played."""

MAP_ACROSS, MAP_UP = CONTROLLERS + 3, CONTROLLERS + 4
"""Places of where one stands on the map, which is not played but comes the same way."""

PLAYED = CONTROLLERS + 5
RESIDUE_KEPT = 0.97
"""Share of a jump that an edit made which is left after a tick (time constant 44 ms)."""


TEMPO, MORPH = place_of(INSTRUMENT, "tempo"), place_of(INSTRUMENT, "morph")
_CHANCE_OF_MODULATORS = 1 << 22
_advance = switch(
    [kind.advance for kind in MODULATOR_KINDS.values()],
    "modulator, state, row, now, drawn, heard, out",
)


class Routing(NamedTuple):
    """Modulators and routes: what an instrument has, and what is remembered of it.

    Rows of all that is remembered are voices, the last one the leader.

    schedule : int64 array, shape (jobs, 2); late_from : int
        What a voice does in a tick, and to what; what needs its envelopes comes last.
    moves : MOVE array; targets : TARGET array; modulators : MODULATOR array
    curves : float64 array, shape (curves, TABLE_STEPS + 1)
    drawn : Drawn
    members : float64 array, shape (members, targets)
        What each member of a stack adds to each target.
    played : float64 array, shape (SPAN, PLAYED)
        Controllers in 0..1, the pad in -1..1, the share of keys held, the map in 0..1.
    states : MODULATOR_STATE array, shape (slots + 1, modulators)
    nodes : float64 array, shape (slots + 1, 2 * modulators)
        What modulators give; those shared by all notes have been put there.
    common : float64 array, shape (SPAN, 2 * modulators)
        What the leader's modulators give.
    lags, outputs : float64 arrays, shape (slots + 1, routes)
        What each route brought before its second source, and what it added in the end.
    sums, residue, earlier : float64 arrays, shape (slots + 1, targets)
        What is added to each target, what is left of jumps, and the sums before an edit.
    carried : int64 array, shape (slots + 1,)
        1 for voices that go on after an edit.
    named : float64 array, shape (GROUPS + 1, SOURCE_COUNT)
        Scratch.
    """

    schedule: NDArray[np.int64]
    late_from: int
    moves: NDArray[Any]
    targets: NDArray[Any]
    modulators: NDArray[Any]
    curves: NDArray[np.float64]
    drawn: Drawn
    members: NDArray[np.float64]
    played: NDArray[np.float64]
    states: NDArray[Any]
    nodes: NDArray[np.float64]
    common: NDArray[np.float64]
    lags: NDArray[np.float64]
    outputs: NDArray[np.float64]
    sums: NDArray[np.float64]
    residue: NDArray[np.float64]
    earlier: NDArray[np.float64]
    carried: NDArray[np.int64]
    named: NDArray[np.float64]


class VoiceTick(NamedTuple):
    """One voice at one tick.

    v, tick, phrase : int
    seed : uint64
    voice : VOICE record
    named : float64 array, shape (SOURCE_COUNT,)
        See :func:`name_sources`; envelopes last.
    row, base : float64 arrays, shape (values,)
        Values with movement, which are written, and without it.
    fresh : bool
        Whether it begins here.
    """

    v: int
    tick: int
    phrase: int
    seed: np.uint64
    voice: Any
    named: NDArray[np.float64]
    row: NDArray[np.float64]
    base: NDArray[np.float64]
    fresh: bool


@borrowing
def name_sources(named, voice, played):
    """What the named sources of a voice stand at, but for its envelopes."""
    named[_VELOCITY] = voice.velocity
    named[_RELEASE_VELOCITY] = voice.release_velocity
    named[_KEY] = (voice.pitch - 60.0) / 12.0
    named[_BEND] = voice.bend / 12.0
    named[_PRESSURE] = voice.pressure
    named[_SLIDE] = voice.slide
    named[_WHEEL] = played[1]
    named[_STACK] = voice.place
    named[_RANDOM] = voice.random
    named[_AGE] = min(voice.age * 0.1, 1.0)
    named[_HELD] = played[KEYS_HELD]
    named[_ACROSS] = played[ACROSS]
    named[_UP] = played[UP]
    named[_MAP_ACROSS] = played[MAP_ACROSS]
    named[_MAP_UP] = played[MAP_UP]


@borrowing
def _source_value(source, named, played, own):
    if source >= FIRST_MODULATOR:
        return own[np.uint64(source - FIRST_MODULATOR)]
    if source >= SOURCE_COUNT:
        return played[np.uint64(source - SOURCE_COUNT)]
    return named[np.uint64(source)]


@borrowing
def _shaped(move, value, curves):
    """Polarity, curve and span."""
    value = move.scale * value + move.offset
    if move.mirrored == 1:
        value = abs(value)
    if move.clamped == 1:
        value = min(max(value, 0.0), 1.0)
    if move.curve >= 0:
        value = table_at(curves[np.uint64(move.curve)], value)
    return move.size * value + move.base


@borrowing
def _eased(move, value, memory):
    away = value - memory
    return memory + away * (move.rise if away > 0.0 else move.fall)


@borrowing
def put(target, row, base, added):
    """Write a target's value, moved and held inside its range."""
    at = np.uint64(target.index)
    value = base[at]
    value = value * np.exp2(added) if target.log == 1 else value + added
    row[at] = min(max(value, target.low), target.high)


@inlined
def _follow(routing, schedule, first, last, at):
    """Follow routes and write targets up to the next modulator; gives its job."""
    moves, targets, curves = routing.moves, routing.targets, routing.curves
    named, played, row, base = at.named, routing.played[at.tick], at.row, at.base
    own, lags, outputs = routing.nodes[at.v], routing.lags[at.v], routing.outputs[at.v]
    sums, residue = routing.sums[at.v], routing.residue[at.v]
    for job in range(np.uint64(first), np.uint64(last)):
        # unsigned indices spare the test for counting from an array's end
        index = np.uint64(schedule[job, 1])
        if schedule[job, 0] == ROUTE:
            move = moves[index]
            value = _shaped(move, _source_value(move.source, named, played, own), curves)
            if not at.fresh:
                value = _eased(move, value, lags[index])
            lags[index] = value
            if move.by >= 0:
                by = _source_value(move.by, named, played, own) * move.by_scale + move.by_offset
                value *= min(max(by, 0.0), 1.0)
            value *= row[np.uint64(move.depth)] * (0.01 * row[np.uint64(move.amount)])
            outputs[index] = value
            sums[np.uint64(move.target)] += value
        elif schedule[job, 0] == PUT:
            put(targets[index], row, base, sums[index] + residue[index])
        else:
            return np.int64(job)
    return last


@inlined
def run(routing, schedule, first, last, at):
    """Do some of the jobs of a tick, for one voice.

    Parameters
    ----------
    routing : Routing
    schedule : int64 array, shape (jobs, 2); first, last : int
        What to do, and to what; those from ``first`` to before ``last``.
    at : VoiceTick
    """
    job, row = first, at.row
    while job < last:
        job = _follow(routing, schedule, job, last, at)
        if job < last:
            index = schedule[job, 1]
            modulator = routing.modulators[index]
            serial = np.uint64(0) if modulator.shared == 1 else at.voice.serial
            key = chance_key(at.seed, serial, np.uint64(_CHANCE_OF_MODULATORS + index))
            now = Now(at.voice, key, at.phrase, row[TEMPO], 0.01 * row[MORPH])
            heard = routing.drawn.heard[at.tick, modulator.heard]
            out = routing.nodes[at.v, 2 * index : 2 * index + 2]
            _advance(
                modulator.kind,
                modulator,
                routing.states[at.v, index],
                row,
                now,
                routing.drawn,
                heard,
                out,
            )
            job += 1
