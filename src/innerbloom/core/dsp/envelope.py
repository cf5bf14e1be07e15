"""Envelopes: delay, attack, hold, decay, sustain, release, each slope with a curve.

The order of an envelope's settings in a record is that of
:func:`innerbloom.core.declare.envelope.envelope`.
"""

from __future__ import annotations

import math

from innerbloom.core.compiling import borrowing
from innerbloom.core.declare.curves import STEEPNESS
from innerbloom.core.declare.envelope import envelope as declared_envelope
from innerbloom.core.declare.parameters import option
from innerbloom.core.dsp.rates import TICK_MS
from innerbloom.core.dsp.state import ATTACK, DECAY, DONE, HOLD, RELEASE, SUSTAIN, WAIT

_DECLARED = declared_envelope("", "", "")
_FIELDS = tuple(declared.id for declared in _DECLARED)
_DELAY, _ATTACK, _HOLD = _FIELDS.index("delay"), _FIELDS.index("attack"), _FIELDS.index("hold")
_DECAY, _SUSTAIN = _FIELDS.index("decay"), _FIELDS.index("sustain")
_RELEASE, _ATTACK_CURVE = _FIELDS.index("release"), _FIELDS.index("attack_curve")
_DECAY_CURVE, _RELEASE_CURVE = _FIELDS.index("decay_curve"), _FIELDS.index("release_curve")
_START, _PEAK = _FIELDS.index("start_level"), _FIELDS.index("peak_level")
_END, _REPEAT = _FIELDS.index("end_level"), _FIELDS.index("repeat")
_REPEATS = option(_DECLARED, "repeat", "on")


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
def begin_envelope(envelope, row, at):
    """Start from the start level."""
    envelope.level = row[at + _START] * 0.01
    retrigger(envelope)


@borrowing
def retrigger(envelope):
    """Start from wherever the envelope is."""
    envelope.stage = WAIT
    envelope.progress = 0.0
    envelope.from_level = envelope.level


@borrowing
def let_go(envelope):
    """Begin the release, from wherever the envelope is."""
    if envelope.stage < RELEASE:
        envelope.stage = RELEASE
        envelope.progress = 0.0
        envelope.from_level = envelope.level


@borrowing
def _next_stage(envelope, stage, level):
    envelope.stage = stage
    envelope.progress = 0.0
    envelope.from_level = level
    envelope.level = level


@borrowing
def _slope(envelope, milliseconds, curve, target, stage):
    """Move along a slope by a tick; on to ``stage`` at its end."""
    envelope.progress += TICK_MS / max(milliseconds, 1e-3)
    if envelope.progress >= 1.0 - 1e-9:
        _next_stage(envelope, stage, target)
    else:
        away = target - envelope.from_level
        envelope.level = envelope.from_level + away * bent(envelope.progress, curve)


@borrowing
def advance_envelope(envelope, row, at):
    """Move one tick on and return the level at its end, 0..1.

    Stages are followed by their share, not by the clock, so a time that is changed
    while it runs takes effect at once and without a jump.

    Parameters
    ----------
    envelope : ENVELOPE record
    row : float64 array
        Settings; those of the envelope begin at ``at``.
    """
    sustain = row[at + _SUSTAIN] * 0.01
    if envelope.stage == WAIT:
        if row[at + _DELAY] >= TICK_MS and envelope.progress < 1.0 - 1e-9:
            envelope.progress += TICK_MS / row[at + _DELAY]
            return envelope.level
        _next_stage(envelope, ATTACK, envelope.level)
    if envelope.stage == ATTACK:
        peak = row[at + _PEAK] * 0.01
        _slope(envelope, row[at + _ATTACK], row[at + _ATTACK_CURVE], peak, HOLD)
    elif envelope.stage == HOLD and row[at + _HOLD] >= TICK_MS and envelope.progress < 1.0 - 1e-9:
        envelope.progress += TICK_MS / row[at + _HOLD]
    elif envelope.stage == HOLD or envelope.stage == DECAY:
        if envelope.stage == HOLD:
            _next_stage(envelope, DECAY, envelope.level)
        over = WAIT if row[at + _REPEAT] == _REPEATS else SUSTAIN
        _slope(envelope, row[at + _DECAY], row[at + _DECAY_CURVE], sustain, over)
    elif envelope.stage == SUSTAIN:
        envelope.level += 0.12 * (sustain - envelope.level)
    elif envelope.stage == RELEASE:
        end = row[at + _END] * 0.01
        _slope(envelope, row[at + _RELEASE], row[at + _RELEASE_CURVE], end, DONE)
    return envelope.level
