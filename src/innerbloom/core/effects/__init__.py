"""Effects: one module a kind, one line each here."""

from innerbloom.core.declare.registry import kinds
from innerbloom.core.effects import (
    bands,
    chorus,
    colour,
    compressor,
    crush,
    drive,
    echo,
    embed,
    equaliser,
    filtering,
    gate,
    harmonics,
    hold,
    phaser,
    resonator,
    room,
    scatter,
    shift,
    stereo,
)
from innerbloom.core.effects.kind import EFFECT, Effect, EffectKind, Ticks

EFFECT_KINDS = kinds(
    equaliser.KIND,
    filtering.KIND,
    colour.KIND,
    compressor.KIND,
    gate.KIND,
    bands.KIND,
    drive.KIND,
    harmonics.KIND,
    crush.KIND,
    chorus.KIND,
    phaser.KIND,
    shift.KIND,
    echo.KIND,
    room.KIND,
    embed.KIND,
    resonator.KIND,
    stereo.KIND,
    hold.KIND,
    scatter.KIND,
)

__all__ = ["EFFECT", "EFFECT_KINDS", "Effect", "EffectKind", "Ticks"]
