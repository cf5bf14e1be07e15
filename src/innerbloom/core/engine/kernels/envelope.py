"""Envelopes: delay, attack, hold, decay, sustain, release, each slope with a curve.

The order of an envelope's settings in a record is that of
:func:`~innerbloom.core.instrument.shared_parameters.envelope`.
"""

from __future__ import annotations

import math

from innerbloom.core.compiling import borrowing
from innerbloom.core.engine.state import (
    ATTACK,
    DECAY,
    DONE,
    HOLD,
    RELEASE,
    SUSTAIN,
    TICK,
    WAIT,
)
from innerbloom.core.instrument.curves import STEEPNESS
from innerbloom.core.instrument.shared_parameters import envelope

_TICK_MS = TICK * 1000.0 / 48_000.0
_FIELDS = tuple(declared.id for declared in envelope("", "", ""))
_DELAY, _ATTACK, _HOLD = _FIELDS.index("delay"), _FIELDS.index("attack"), _FIELDS.index("hold")
_DECAY, _SUSTAIN = _FIELDS.index("decay"), _FIELDS.index("sustain")
_RELEASE, _ATTACK_CURVE = _FIELDS.index("release"), _FIELDS.index("attack_curve")
_DECAY_CURVE, _RELEASE_CURVE = _FIELDS.index("decay_curve"), _FIELDS.index("release_curve")
_START, _PEAK = _FIELDS.index("start_level"), _FIELDS.index("peak_level")
_END, _REPEAT = _FIELDS.index("end_level"), _FIELDS.index("repeat")


@borrowing
def bent(x, curve):
    """A rise from 0 to 1 over ``x`` in 0..1: straight at 0 %, fast at first above it.

    The family is (1 - e^(-kx)) / (1 - e^(-k)) with k = 6 at 100 %.
    """
    k = STEEPNESS * curve * 0.01
    if abs(k) < 1e-4:
        return x
    return (1.0 - math.exp(-k * x)) / (1.0 - math.exp(-k))


@borrowing
def begin_shape(shape, row, at):
    """Start from the start level."""
    shape.level = row[at + _START] * 0.01
    again(shape)


@borrowing
def again(shape):
    """Start from wherever the envelope is."""
    shape.stage = WAIT
    shape.progress = 0.0
    shape.from_level = shape.level


@borrowing
def let_go(shape):
    """Begin the release, from wherever the envelope is."""
    if shape.stage < RELEASE:
        shape.stage = RELEASE
        shape.progress = 0.0
        shape.from_level = shape.level


@borrowing
def _next_stage(shape, stage, level):
    shape.stage = stage
    shape.progress = 0.0
    shape.from_level = level
    shape.level = level


@borrowing
def _slope(shape, milliseconds, curve, target, stage):
    """Move along a slope by a tick; on to ``stage`` at its end."""
    shape.progress += _TICK_MS / max(milliseconds, 1e-3)
    if shape.progress >= 1.0 - 1e-9:
        _next_stage(shape, stage, target)
    else:
        away = target - shape.from_level
        shape.level = shape.from_level + away * bent(shape.progress, curve)


@borrowing
def advance_shape(shape, row, at):
    """Move one tick on and return the level at its end, 0..1.

    Stages are followed by their share, not by the clock, so a time that is changed
    while it runs takes effect at once and without a jump.

    Parameters
    ----------
    shape : SHAPE record
    row : float64 array
        Settings; those of the envelope begin at ``at``.
    """
    sustain = row[at + _SUSTAIN] * 0.01
    if shape.stage == WAIT:
        if row[at + _DELAY] >= _TICK_MS and shape.progress < 1.0 - 1e-9:
            shape.progress += _TICK_MS / row[at + _DELAY]
            return shape.level
        _next_stage(shape, ATTACK, shape.level)
    if shape.stage == ATTACK:
        peak = row[at + _PEAK] * 0.01
        _slope(shape, row[at + _ATTACK], row[at + _ATTACK_CURVE], peak, HOLD)
    elif shape.stage == HOLD and row[at + _HOLD] >= _TICK_MS and shape.progress < 1.0 - 1e-9:
        shape.progress += _TICK_MS / row[at + _HOLD]
    elif shape.stage == HOLD or shape.stage == DECAY:
        if shape.stage == HOLD:
            _next_stage(shape, DECAY, shape.level)
        over = WAIT if row[at + _REPEAT] > 0.5 else SUSTAIN
        _slope(shape, row[at + _DECAY], row[at + _DECAY_CURVE], sustain, over)
    elif shape.stage == SUSTAIN:
        shape.level += 0.12 * (sustain - shape.level)
    elif shape.stage == RELEASE:
        end = row[at + _END] * 0.01
        _slope(shape, row[at + _RELEASE], row[at + _RELEASE_CURVE], end, DONE)
    return shape.level
