"""Control ticks: glides, movement and envelopes, for every voice and layer.

Each voice has a row of values a tick: the settings of all layers one after another, then those
of modulators, then the amounts of routes that are moved, with whatever moves them added. One
more voice, the leader, sounds nothing: it follows the newest note, and modulators that all notes
share run in it.
"""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.engine.kernels.envelope import advance_shape, again, begin_shape, let_go
from innerbloom.core.engine.kernels.memory import copy_into
from innerbloom.core.engine.kernels.routing import (
    FIRST_SHAPE,
    PUT,
    RESIDUE_KEPT,
    ROUTE,
    SECOND_SHAPE,
    name_sources,
    put,
    run,
)
from innerbloom.core.engine.state import DONE, DYING, FREE, HELD, RELEASED, TICK
from innerbloom.core.instrument.catalogue import LAYER

_LAYER_IDS = [declared.id for declared in LAYER]
_SHAPE, _TONE_SHAPE = _LAYER_IDS.index("delay"), _LAYER_IDS.index("tone_delay")
_TICK_S = TICK / 48_000.0

_FADE_STEP = 0.2
"""Share of the dying fade done in a tick: silent after five ticks, 6.7 ms."""

_SETTLE = 0.15
"""Share of the way to a moved control's new value made in a tick (time constant 8 ms)."""


@borrowing
def settle(ticks, wanted, now, stepped, rows):
    """Bring the settings towards where controls were moved; one row a tick.

    Parameters
    ----------
    wanted, now : float64 arrays, shape (values,)
    stepped : bool array, shape (values,)
        Choices and whole numbers, which change at once.
    rows : float64 array, shape (SPAN, values)
        Filled for the first ``ticks``.
    """
    for tick in range(ticks):
        for i in range(len(now)):
            away = wanted[i] - now[i]
            if stepped[i] or abs(away) <= 1e-9 * (abs(wanted[i]) + 1e-3):
                now[i] = wanted[i]
            else:
                now[i] += _SETTLE * away
            rows[tick, i] = now[i]


@borrowing
def _glide(voice):
    away = voice.key - voice.pitch
    # the last step may differ from the others by rounding
    if voice.glide <= 0.0 or abs(away) <= 1.0001 * voice.glide:
        voice.pitch = voice.key
    else:
        voice.pitch += voice.glide if away > 0.0 else -voice.glide


@borrowing
def _meet(voice, part, chosen, row, at):
    """Begin, strike again or let go, as the voice asks. Gives whether the part is new."""
    if part.serial != voice.serial:
        part.serial = voice.serial
        part.trigger = voice.trigger
        part.active = 1 if chosen.gain > 0.0 and voice.state == HELD else 0
        part.fade = 1.0
        part.left = part.right = 0.0
        part.ended = 0
        begin_shape(part.shape, row, at + _SHAPE)
        begin_shape(part.tone_shape, row, at + _TONE_SHAPE)
        again(part.shape)
        again(part.tone_shape)
        return
    if part.trigger != voice.trigger:
        part.trigger = voice.trigger
        again(part.shape)
        again(part.tone_shape)
    if voice.state == RELEASED:
        let_go(part.shape)
        let_go(part.tone_shape)


@borrowing
def _shape_tick(voice, part, row, at):
    """The level of the part at the end of this tick."""
    level = advance_shape(part.shape, row, at + _SHAPE)
    advance_shape(part.tone_shape, row, at + _TONE_SHAPE)
    if part.ended > 1:
        part.ended -= 1
    elif part.ended == 1:
        part.fade = max(0.0, part.fade - _FADE_STEP)
    if voice.state == DYING or part.shape.stage == DONE:
        part.fade = max(0.0, part.fade - _FADE_STEP)
    if part.fade <= 0.0 or (part.shape.stage == DONE and level <= 1e-6):
        part.active = 0
    return level * part.fade


@borrowing
def _less_left(residue):
    """What edits left of jumps dies away."""
    for i in range(len(residue)):
        residue[i] *= RESIDUE_KEPT
        if abs(residue[i]) < 1e-7:
            residue[i] = 0.0


@borrowing
def _carry(targets, earlier, sums, residue):
    """After an edit: begin where the sums stood before it."""
    for i in range(len(targets)):
        residue[i] = 0.0 if targets[i].instant == 1 else earlier[i] - sums[i]


@borrowing
def _put_again(jobs, targets, row, base, sums, residue):
    for job in range(len(jobs)):
        if jobs[job, 0] == PUT:
            index = jobs[job, 1]
            put(targets[index], row, base, sums[index] + residue[index])


@borrowing
def _share(own, common, modulators):
    """Give a voice what the modulators give that all notes share."""
    for i in range(len(modulators)):
        if modulators[i].shared == 1:
            own[2 * i] = common[2 * i]
            own[2 * i + 1] = common[2 * i + 1]


@borrowing
def _run_late(
    jobs, first, moves, targets, modulators, states, v, voice, parts, named, played, nodes, memory,
    came, fresh, depths, row, base, sums, residue, curves, tables, steps, contours, heard, phrase, morph,
    tempo, seed,
):  # fmt: skip
    """The jobs that need the envelopes of this tick, each those of its own layer."""
    for job in range(first, len(jobs)):
        if jobs[job, 0] == ROUTE:
            part = parts[moves[jobs[job, 1]].layer, v]
            named[FIRST_SHAPE] = part.shape.level
            named[SECOND_SHAPE] = part.tone_shape.level
        run(jobs, job, job + 1, moves, targets, modulators, states, v, voice, named, played, nodes,
            memory, came, fresh, depths, row, base, sums, residue, curves, tables, steps, contours, heard,
            phrase, morph, tempo, seed)  # fmt: skip


@borrowing
def lead(
    ticks, leader, named, rows, values, jobs, moves, targets, modulators, states, played, nodes,
    common, memory, came, fresh, depths, sums, residue, carried, earlier, curves, tables, steps,
    contours, heard, phrase, tempo, seed,
):  # fmt: skip
    """Run the leader for a span of ticks; see :func:`control` for what all this is.

    Parameters
    ----------
    leader : VOICE record
        A copy of the newest note.
    common : float64 array, shape (SPAN, 2 * modulators)
        Filled with what modulators give at each tick.
    """
    v = len(values) - 1
    for tick in range(ticks):
        _glide(leader)
        row = values[v, tick]
        copy_into(row, rows[tick])
        sums[v, :] = 0.0
        _less_left(residue[v])
        name_sources(named, leader, played[tick])
        run(jobs, 0, len(jobs), moves, targets, modulators, states, v, leader, named, played[tick],
            nodes, memory, came, fresh, depths[tick], row, rows[tick], sums[v],
            residue[v], curves, tables, steps, contours, heard[tick], phrase, 0.01 * rows[tick, -1], tempo,
            seed)  # fmt: skip
        if carried[v] == 1:
            carried[v] = 0
            _carry(targets, earlier[v], sums[v], residue[v])
        copy_into(common[tick], nodes[v])
        leader.age += _TICK_S
        fresh = False


@borrowing
def control(
    first, step, ticks, voices, parts, chosen, offsets, rows, values, pitches, amps,
    jobs, late_from, moves, targets, modulators, states, members, played, nodes, common, memory,
    came, depths, sums, residue, carried, earlier, curves, tables, steps, contours, heard, phrase, tempo, seed,
    tuning_offsets, detune, all_named,
):  # fmt: skip
    """Fill the values of some of the voices for a span of ticks.

    Parameters
    ----------
    first, step, ticks : int
        Every ``step``-th voice from the ``first`` on, and how many ticks.
    voices : VOICE array, shape (slots,)
    parts, chosen : PART and CHOSEN arrays, shape (layers, slots)
    offsets : int64 array, shape (layers,)
        Where each layer's settings begin in a row.
    rows : float64 array, shape (SPAN, values)
        Settings at each tick, before anything moves them; the morph comes last.
    values : float64 array, shape (slots + 1, SPAN, values)
        Filled.
    pitches : float64 array, shape (slots, SPAN)
        Filled with note numbers, glides and bends included.
    amps : float64 array, shape (layers, slots, SPAN)
        Filled with each part's envelope times its dying fade.
    jobs : int64 array, shape (jobs, 2); late_from : int
        What a voice does in a tick, see :mod:`.routing`; what needs its envelopes comes last.
    members : float64 array, shape (members, targets)
        What each member of a stack adds to each target.
    played : float64 array, shape (SPAN, PLAYED)
    common : float64 array, shape (SPAN, 2 * modulators)
        What the leader's modulators give.
    sums, residue, earlier : float64 arrays, shape (slots + 1, targets)
        What is added to each target, what is left of jumps, and the sums before an edit.
    carried : int64 array, shape (slots + 1,)
        1 for voices that go on after an edit.
    contours : float64 array, shape (moments, 3)
    heard : float64 array, shape (SPAN, listened to, 3)
    tuning_offsets : float64 array, shape (128,)
        Semitones that a tuning adds to each key.
    detune : float
        Semitones from the key to the outermost members of a stack.
    all_named : float64 array, shape (GROUPS, SOURCE_COUNT)
        Scratch.
    """
    layers = len(offsets)
    named = all_named[first]
    for v in range(first, len(voices), step):
        voice = voices[v]
        if voice.state == FREE:
            continue
        fresh = parts[0, v].serial != voice.serial
        if fresh:
            residue[v, :] = 0.0
            carried[v] = 0
        for layer in range(layers):
            parts[layer, v].ticks = 0
        for tick in range(ticks):
            _glide(voice)
            pitch = voice.pitch + _tuned(voice.pitch, tuning_offsets)
            pitches[v, tick] = pitch + voice.bend + detune * voice.place
            row = values[v, tick]
            copy_into(row, rows[tick])
            copy_into(sums[v], members[voice.member])
            _less_left(residue[v])
            morph = 0.01 * rows[tick, -1]
            name_sources(named, voice, played[tick])
            _share(nodes[v], common[tick], modulators)
            run(jobs, 0, late_from, moves, targets, modulators, states, v, voice, named,
                played[tick], nodes, memory, came, fresh, depths[tick], row,
                rows[tick], sums[v], residue[v], curves, tables, steps, contours, heard[tick], phrase, morph,
                tempo, seed)  # fmt: skip
            for layer in range(layers):
                part = parts[layer, v]
                _meet(voice, part, chosen[layer, v], row, offsets[layer])
                amps[layer, v, tick] = 0.0
                if part.active == 1:
                    part.ticks = tick + 1
                    amps[layer, v, tick] = _shape_tick(voice, part, row, offsets[layer])
            if late_from < len(jobs):
                _run_late(jobs, late_from, moves, targets, modulators, states, v, voice, parts,
                          named, played[tick], nodes, memory, came, fresh, depths[tick], row,
                          rows[tick], sums[v], residue[v], curves, tables, steps, contours, heard[tick],
                          phrase, morph, tempo, seed)  # fmt: skip
            if carried[v] == 1:
                carried[v] = 0
                _carry(targets, earlier[v], sums[v], residue[v])
                _put_again(jobs, targets, row, rows[tick], sums[v], residue[v])
            voice.age += _TICK_S
            fresh = False


@borrowing
def _tuned(pitch, offsets):
    """Semitones a tuning adds at a pitch, in between keys in proportion."""
    place = min(max(pitch, 0.0), len(offsets) - 1.0)
    below = np.int64(place)
    above = min(below + 1, len(offsets) - 1)
    return offsets[below] + (place - below) * (offsets[above] - offsets[below])
