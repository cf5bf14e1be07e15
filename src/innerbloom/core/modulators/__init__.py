"""Modulators: one module a kind, one line each here."""

from innerbloom.core.declare.registry import kinds
from innerbloom.core.modulators import (
    combine,
    contour,
    drift,
    envelope,
    follower,
    lag,
    lfo,
    macro,
    quantise,
    random,
    sample,
    shape,
    steps,
)
from innerbloom.core.modulators.kind import ModulatorKind

MODULATOR_KINDS = kinds(
    lfo.KIND,
    envelope.KIND,
    shape.KIND,
    steps.KIND,
    random.KIND,
    drift.KIND,
    follower.KIND,
    contour.KIND,
    combine.KIND,
    lag.KIND,
    quantise.KIND,
    sample.KIND,
    macro.KIND,
)

__all__ = ["MODULATOR_KINDS", "ModulatorKind"]
