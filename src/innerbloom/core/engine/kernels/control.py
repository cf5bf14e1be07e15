"""Control ticks: glides, modulation and envelopes, for every voice and layer.

Each voice has a row of values a tick: the settings of the instrument, of all layers, modulators
and routes one after another, with whatever moves them added. One more voice, the leader, sounds
nothing: it follows the newest note, modulators that all notes share run in it, and what no voice
has of its own (the instrument, buses, effects) is read from its row.
"""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.compiling import borrowing, inlined
from innerbloom.core.dsp.envelope import advance_envelope, begin_envelope, let_go, retrigger
from innerbloom.core.dsp.memory import copy_into
from innerbloom.core.dsp.rates import TICK_S
from innerbloom.core.dsp.state import DONE, DYING, FREE, HELD, RELEASED
from innerbloom.core.engine.kernels.routing import (
    FIRST_SHAPE,
    PUT,
    RESIDUE_KEPT,
    ROUTE,
    SECOND_SHAPE,
    VoiceTick,
    name_sources,
    put,
    run,
)
from innerbloom.core.instrument.catalogue import INSTRUMENT, LAYER
from innerbloom.core.modulators.common import place_of

_ENVELOPE, _TONE_ENVELOPE = place_of(LAYER, "delay"), place_of(LAYER, "tone_delay")
_TUNING, _DETUNE = place_of(INSTRUMENT, "tuning"), place_of(INSTRUMENT, "unison_detune")
_WIDTH = len(INSTRUMENT)
"""Values of the instrument, which begin every row."""

_FADE_STEP = 0.2
"""Share of the dying fade done in a tick: silent after five ticks, 6.7 ms."""

_SETTLE = 0.15
"""Share of the way to a moved control's new value made in a tick (time constant 8 ms)."""


class Values(NamedTuple):
    """Rows of values, and what is read from them.

    base : float64 array, shape (SPAN, values)
        Settings at each tick, before anything moves them.
    moved : float64 array, shape (slots, SPAN, values of voices)
        With movement, of each voice; filled. What only the mixer reads is left out.
    led : float64 array, shape (SPAN, values)
        The same of the leader; filled.
    offsets : int64 array, shape (layers,)
        Where each layer's settings begin in a row.
    amps : float64 array, shape (layers, slots, SPAN)
        Filled with each layer's envelope times its dying fade.
    reference : float64 array, shape (SPAN,)
        Filled with the semitones of the reference pitch above A4 = 440 Hz.
    tuning : float64 array, shape (128,)
        Semitones that a tuning adds to each key.
    """

    base: NDArray[np.float64]
    moved: NDArray[np.float64]
    led: NDArray[np.float64]
    offsets: NDArray[np.int64]
    amps: NDArray[np.float64]
    reference: NDArray[np.float64]
    tuning: NDArray[np.float64]


class Slots(NamedTuple):
    """What sounds in each slot.

    voices : VOICE array, shape (slots,)
    layers : LAYER_VOICE array, shape (layers, slots)
    zones : ZONE array, shape (layers, slots)
    pitches : float64 array, shape (slots, SPAN)
        Filled with note numbers, glides and bends included.
    """

    voices: NDArray[Any]
    layers: NDArray[Any]
    zones: NDArray[Any]
    pitches: NDArray[np.float64]


class Turn(NamedTuple):
    """Which voices are rendered, for how long.

    first, step, ticks : int
        Every ``step``-th voice from the ``first`` on, and how many ticks.
    phrase : int
        Counts the times a key went down while none was.
    seed : uint64
    """

    first: int
    step: int
    ticks: int
    phrase: int
    seed: np.uint64


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

    Returns
    -------
    bool
        Whether all rows are what they were.
    """
    still = True
    for tick in range(ticks):
        for i in range(len(now)):
            before = now[i]
            away = wanted[i] - before
            if stepped[i] or abs(away) <= 1e-9 * (abs(wanted[i]) + 1e-3):
                now[i] = wanted[i]
            else:
                now[i] += _SETTLE * away
            still = still and now[i] == before and rows[tick, i] == before
            rows[tick, i] = now[i]
    return still


@borrowing
def _glide(voice):
    away = voice.key - voice.pitch
    # the last step may differ from the others by rounding
    if voice.glide <= 0.0 or abs(away) <= 1.0001 * voice.glide:
        voice.pitch = voice.key
    else:
        voice.pitch += voice.glide if away > 0.0 else -voice.glide


@borrowing
def _meet(voice, layer_voice, zone, row, at):
    """Begin, retrigger or let go a layer of a voice, as the voice asks."""
    if layer_voice.serial != voice.serial:
        layer_voice.serial = voice.serial
        layer_voice.trigger = voice.trigger
        layer_voice.active = 1 if zone.gain > 0.0 and voice.state == HELD else 0
        layer_voice.fade = 1.0
        layer_voice.left = layer_voice.right = 0.0
        layer_voice.ended = 0
        begin_envelope(layer_voice.envelope, row, at + _ENVELOPE)
        begin_envelope(layer_voice.tone_envelope, row, at + _TONE_ENVELOPE)
        retrigger(layer_voice.envelope)
        retrigger(layer_voice.tone_envelope)
        return
    if layer_voice.trigger != voice.trigger:
        layer_voice.trigger = voice.trigger
        retrigger(layer_voice.envelope)
        retrigger(layer_voice.tone_envelope)
    if voice.state == RELEASED:
        let_go(layer_voice.envelope)
        let_go(layer_voice.tone_envelope)


@borrowing
def _envelope_tick(voice, layer_voice, row, at):
    """The level of a layer of a voice at the end of this tick."""
    level = advance_envelope(layer_voice.envelope, row, at + _ENVELOPE)
    advance_envelope(layer_voice.tone_envelope, row, at + _TONE_ENVELOPE)
    if layer_voice.ended > 1:
        layer_voice.ended -= 1
    elif layer_voice.ended == 1:
        layer_voice.fade = max(0.0, layer_voice.fade - _FADE_STEP)
    done = layer_voice.envelope.stage == DONE
    if voice.state == DYING or done:
        layer_voice.fade = max(0.0, layer_voice.fade - _FADE_STEP)
    if layer_voice.fade <= 0.0 or (done and level <= 1e-6):
        layer_voice.active = 0
    return level * layer_voice.fade


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


@inlined
def _put_again(routing, schedule, at):
    sums, residue = routing.sums[at.v], routing.residue[at.v]
    for job in range(len(schedule)):
        if schedule[job, 0] == PUT:
            index = schedule[job, 1]
            put(routing.targets[index], at.row, at.base, sums[index] + residue[index])


@borrowing
def _share(own, common, modulators):
    """Give a voice what the modulators give that all notes share."""
    for i in range(len(modulators)):
        if modulators[i].shared == 1:
            own[2 * i] = common[2 * i]
            own[2 * i + 1] = common[2 * i + 1]


@inlined
def _run_late(routing, layers, at):
    """The jobs that need the envelopes of this tick, each those of its own layer."""
    schedule = routing.schedule
    for job in range(routing.late_from, len(schedule)):
        if schedule[job, 0] == ROUTE:
            layer_voice = layers[routing.moves[schedule[job, 1]].layer, at.v]
            # a layer that the note does not sound has an envelope that stands at nothing
            at.named[FIRST_SHAPE] = layer_voice.active * layer_voice.envelope.level
            at.named[SECOND_SHAPE] = layer_voice.active * layer_voice.tone_envelope.level
        run(routing, schedule, job, job + 1, at)


@borrowing
def follow_newest(voices, leader):
    """Bring the leader up to the newest note that is held; gives whether any voice sounds."""
    newest, alive = -1, False
    for v in range(len(voices)):
        alive = alive or voices[v].state != FREE
        if voices[v].state == HELD and (newest < 0 or voices[v].serial > voices[newest].serial):
            newest = v
    if newest >= 0:
        leader[0] = voices[newest]
    elif leader[0].state == HELD:
        leader[0].state = RELEASED
    return alive


@borrowing
def lead(turn, leaders, schedule, routing, values, fresh):
    """Run the leader for a span of ticks.

    Parameters
    ----------
    turn : Turn
    leaders : VOICE array, shape (1,)
        A copy of the newest note.
    schedule : int64 array, shape (jobs, 2)
    routing : Routing; values : Values
    fresh : bool
        Whether it has not run before.
    """
    v, leader = len(values.moved), leaders[0]
    named = routing.named[len(routing.named) - 1]
    for tick in range(turn.ticks):
        _glide(leader)
        row, base = values.led[tick], values.base[tick]
        copy_into(row, base)
        routing.sums[v, :] = 0.0
        _less_left(routing.residue[v])
        name_sources(named, leader, routing.played[tick])
        begins = fresh and tick == 0
        at = VoiceTick(v, tick, turn.phrase, turn.seed, leader, named, row, base, begins)
        run(routing, schedule, 0, len(schedule), at)
        if routing.carried[v] == 1:
            routing.carried[v] = 0
            _carry(routing.targets, routing.earlier[v], routing.sums[v], routing.residue[v])
            _put_again(routing, schedule, at)
        copy_into(routing.common[tick], routing.nodes[v])
        values.reference[tick] = 12.0 * math.log2(row[_TUNING] / 440.0)
        leader.age += TICK_S


@borrowing
def control(turn, slots, routing, values):
    """Fill the values of some of the voices for a span of ticks.

    Parameters
    ----------
    turn : Turn; slots : Slots; routing : Routing; values : Values
    """
    named = routing.named[turn.first]
    for v in range(turn.first, len(slots.voices), turn.step):
        voice = slots.voices[v]
        for layer in range(len(values.offsets)):
            # of one that is free as well, or it would go on with what it had last
            slots.layers[layer, v].ticks = 0
        if voice.state == FREE:
            continue
        begins = slots.layers[0, v].serial != voice.serial
        if begins:
            routing.residue[v, :] = 0.0
            routing.carried[v] = 0
        for tick in range(turn.ticks):
            _glide(voice)
            whole, row, base = values.led[tick], values.moved[v, tick], values.base[tick]
            _begin_row(row, base, whole)
            pitch = voice.pitch + _tuned(voice.pitch, values.tuning)
            slots.pitches[v, tick] = pitch + voice.bend + 0.01 * whole[_DETUNE] * voice.place
            copy_into(routing.sums[v], routing.members[voice.member])
            _less_left(routing.residue[v])
            name_sources(named, voice, routing.played[tick])
            _share(routing.nodes[v], routing.common[tick], routing.modulators)
            fresh = begins and tick == 0
            at = VoiceTick(v, tick, turn.phrase, turn.seed, voice, named, row, base, fresh)
            run(routing, routing.schedule, 0, routing.late_from, at)
            _run_envelopes(slots, values, at)
            if routing.late_from < len(routing.schedule):
                _run_late(routing, slots.layers, at)
            if routing.carried[v] == 1:
                routing.carried[v] = 0
                _carry(routing.targets, routing.earlier[v], routing.sums[v], routing.residue[v])
                _put_again(routing, routing.schedule, at)
            voice.age += TICK_S


@borrowing
def _begin_row(row, base, whole):
    """Before a voice moves anything: what is set, and the instrument as the leader has it."""
    copy_into(row, base)
    copy_into(row[:_WIDTH], whole)


@inlined
def _run_envelopes(slots, values, at):
    """The envelopes of all layers of a voice, a tick on."""
    for layer in range(len(values.offsets)):
        layer_voice, begins = slots.layers[layer, at.v], values.offsets[layer]
        _meet(at.voice, layer_voice, slots.zones[layer, at.v], at.row, begins)
        values.amps[layer, at.v, at.tick] = 0.0
        if layer_voice.active == 1:
            layer_voice.ticks = at.tick + 1
            level = _envelope_tick(at.voice, layer_voice, at.row, begins)
            values.amps[layer, at.v, at.tick] = level


@borrowing
def _tuned(pitch, offsets):
    """Semitones a tuning adds at a pitch, in between keys in proportion."""
    place = min(max(pitch, 0.0), len(offsets) - 1.0)
    below = np.int64(place)
    above = min(below + 1, len(offsets) - 1)
    return offsets[below] + (place - below) * (offsets[above] - offsets[below])
