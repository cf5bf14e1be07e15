"""The amplitude envelope: attack, decay, sustain, release, each with a curve."""

from __future__ import annotations

import math

from innerbloom.core.compiling import kernel
from innerbloom.core.engine.state import ATTACK, DECAY, DONE, RELEASE, SUSTAIN, TICK

_STEEPNESS = 6.0
_TICK_MS = TICK * 1000.0 / 48_000.0


@kernel
def bent(x, curve):
    """A rise from 0 to 1 over ``x`` in 0..1: straight at 0 %, fast at first above it.

    The family is (1 - e^(-kx)) / (1 - e^(-k)) with k = 6 at 100 %.
    """
    k = _STEEPNESS * curve * 0.01
    if abs(k) < 1e-4:
        return x
    return (1.0 - math.exp(-k * x)) / (1.0 - math.exp(-k))


@kernel
def begin_release(part):
    """Let go: fall from wherever the envelope is."""
    if part.stage < RELEASE:
        part.stage = RELEASE
        part.progress = 0.0
        part.from_level = part.level


@kernel
def advance_envelope(part, s):
    """Move one tick on and return the level at its end, 0..1.

    Stages are followed by their share, not by the clock, so a time that is changed
    while it runs takes effect at once and without a jump.
    """
    if part.stage == ATTACK:
        part.progress += _TICK_MS / s.attack
        if part.progress >= 1.0:
            part.level, part.progress, part.stage, part.from_level = 1.0, 0.0, DECAY, 1.0
        else:
            part.level = bent(part.progress, s.attack_curve)
    elif part.stage == DECAY:
        part.progress += _TICK_MS / s.decay
        sustain = s.sustain * 0.01
        if part.progress >= 1.0:
            part.level, part.stage = sustain, SUSTAIN
        else:
            part.level = 1.0 + (sustain - 1.0) * bent(part.progress, s.decay_curve)
    elif part.stage == SUSTAIN:
        part.level += 0.12 * (s.sustain * 0.01 - part.level)
    elif part.stage == RELEASE:
        part.progress += _TICK_MS / s.release
        if part.progress >= 1.0:
            part.level, part.stage = 0.0, DONE
        else:
            part.level = part.from_level * (1.0 - bent(part.progress, s.release_curve))
    return part.level
