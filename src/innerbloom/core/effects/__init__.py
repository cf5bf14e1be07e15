"""Effects: one module a kind, one line each here."""

from innerbloom.core.declare.registry import kinds
from innerbloom.core.effects import colour
from innerbloom.core.effects.kind import EFFECT, Effect, EffectKind, Ticks

EFFECT_KINDS = kinds(
    colour.KIND,
)

__all__ = ["EFFECT", "EFFECT_KINDS", "Effect", "EffectKind", "Ticks"]
