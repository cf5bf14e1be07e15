"""Control ticks: glides, routes and envelopes, for every voice and layer.

Each voice has a row of values a tick: the settings of all layers one after another, with
whatever moves them added. Movements add up in the target's own scale (octaves where that is
logarithmic) and the sum is held inside the parameter's range.
"""

from __future__ import annotations

import numpy as np

from innerbloom.core.compiling import borrowing
from innerbloom.core.engine.kernels.envelope import advance_shape, again, begin_shape, let_go
from innerbloom.core.engine.kernels.memory import copy_into
from innerbloom.core.engine.state import DONE, DYING, FREE, HELD, RELEASED
from innerbloom.core.instrument.catalogue import LAYER, SOURCES

_IDS = [source.id for source in SOURCES]
_VELOCITY, _RELEASE_VELOCITY = _IDS.index("velocity"), _IDS.index("release_velocity")
_KEY, _BEND, _PRESSURE = _IDS.index("key"), _IDS.index("bend"), _IDS.index("pressure")
_SLIDE, _WHEEL, _STACK = _IDS.index("slide"), _IDS.index("wheel"), _IDS.index("stack")
_RANDOM = _IDS.index("random")
FIRST_SHAPE = _IDS.index("envelope")
"""Sources from here on are envelopes of the target's layer, known once a tick has begun."""

SOURCE_COUNT = len(_IDS)
_LAYER_IDS = [declared.id for declared in LAYER]
_SHAPE, _TONE_SHAPE = _LAYER_IDS.index("delay"), _LAYER_IDS.index("tone_delay")

_FADE_STEP = 0.2
"""Share of the dying fade done in a tick: silent after five ticks, 6.7 ms."""

_SETTLE = 0.15
"""Share of the way to a moved control's new value made in a tick (time constant 8 ms)."""

TARGET = np.dtype(
    [("index", np.int64), ("low", np.float64), ("high", np.float64), ("log", np.int64)],
    align=True,
)
"""A value that something moves: its place in the row, its range, whether it adds in octaves."""

MOVE = np.dtype(
    [
        ("source", np.int64),  # below SOURCE_COUNT a named one, else a controller
        ("layer", np.int64),
        ("target", np.int64),  # place among the targets
        ("depth", np.float64),
        ("inverted", np.int64),
        ("two_sided", np.int64),
        ("rise", np.float64),  # share of the way made in a tick
        ("fall", np.float64),
    ],
    align=True,
)
"""A route as the engine runs it."""


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
def _source_value(voice, part, controllers, source):
    if source >= SOURCE_COUNT:
        return controllers[source - SOURCE_COUNT]
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
        return controllers[1]
    if source == _STACK:
        return voice.place
    if source == _RANDOM:
        return voice.random
    if source == FIRST_SHAPE:
        return part.shape.level
    return part.tone_shape.level


@borrowing
def _arrived(move, voice, part, controllers, memory, fresh):
    """What a route brings now: polarity, then smoothing."""
    value = _source_value(voice, part, controllers, move.source)
    if move.inverted == 1:
        value = -value if move.two_sided == 1 else 1.0 - value
    if not fresh:
        away = value - memory
        value = memory + away * (move.rise if away > 0.0 else move.fall)
    return value


@borrowing
def _move(first, last, moves, v, voice, parts, controllers, memory, fresh, sums):
    """Add what some of the routes bring to the sums of their targets."""
    for i in range(first, last):
        move = moves[i]
        part = parts[move.layer, v]
        memory[v, i] = _arrived(move, voice, part, controllers, memory[v, i], fresh)
        sums[move.target] += move.depth * memory[v, i]


@borrowing
def _put(row, base, targets, sums):
    """Write the moved values, each inside its range."""
    for i in range(len(targets)):
        target = targets[i]
        value = base[target.index]
        value = value * 2.0 ** sums[i] if target.log == 1 else value + sums[i]
        row[target.index] = min(max(value, target.low), target.high)


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
    if voice.state == DYING or part.ended == 1 or part.shape.stage == DONE:
        part.fade = max(0.0, part.fade - _FADE_STEP)
    if part.fade <= 0.0 or (part.shape.stage == DONE and level <= 1e-6):
        part.active = 0
    return level * part.fade


@borrowing
def control(
    first, step, ticks, voices, parts, chosen, offsets, rows, values, pitches, amps,
    targets, members, moves, late_from, memory, controllers, tuning_offsets, detune, scratch,
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
        Settings at each tick, before anything moves them.
    values : float64 array, shape (slots, SPAN, values)
        Filled.
    pitches : float64 array, shape (slots, SPAN)
        Filled with note numbers, glides and bends included.
    amps : float64 array, shape (layers, slots, SPAN)
        Filled with each part's envelope times its dying fade.
    targets : TARGET array; members : float64 array, shape (members, targets)
        What is moved, and by how much for each member of a stack.
    moves : MOVE array, shape (routes,); late_from : int
        Routes, those from envelopes last: the first of these.
    memory : float64 array, shape (slots, routes)
        What each route last brought.
    controllers : float64 array, shape (128,)
    tuning_offsets : float64 array, shape (128,)
        Semitones that a tuning adds to each key.
    detune : float
        Semitones from the key to the outermost members of a stack.
    scratch : float64 array, shape (GROUPS, targets)
    """
    sums = scratch[first]
    layers = len(offsets)
    for v in range(first, len(voices), step):
        voice = voices[v]
        if voice.state == FREE:
            continue
        fresh = parts[0, v].serial != voice.serial
        for layer in range(layers):
            parts[layer, v].ticks = 0
        for tick in range(ticks):
            _glide(voice)
            pitch = voice.pitch + _tuned(voice.pitch, tuning_offsets)
            pitches[v, tick] = pitch + voice.bend + detune * voice.place
            row = values[v, tick]
            copy_into(row, rows[tick])
            copy_into(sums, members[voice.member])
            _move(0, late_from, moves, v, voice, parts, controllers, memory, fresh, sums)
            _put(row, rows[tick], targets, sums)
            for layer in range(layers):
                part = parts[layer, v]
                _meet(voice, part, chosen[layer, v], row, offsets[layer])
                amps[layer, v, tick] = 0.0
                if part.active == 1:
                    part.ticks = tick + 1
                    amps[layer, v, tick] = _shape_tick(voice, part, row, offsets[layer])
            if late_from < len(moves):
                _move(
                    late_from, len(moves), moves, v, voice, parts, controllers, memory, fresh, sums
                )
                _put(row, rows[tick], targets, sums)
            fresh = False


@borrowing
def _tuned(pitch, offsets):
    """Semitones a tuning adds at a pitch, in between keys in proportion."""
    place = min(max(pitch, 0.0), len(offsets) - 1.0)
    below = np.int64(place)
    above = min(below + 1, len(offsets) - 1)
    return offsets[below] + (place - below) * (offsets[above] - offsets[below])
